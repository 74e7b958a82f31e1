from tidewire.client import Station, TideGauge

from trains import Station as Stop


def forecast(host: str, gauge: TideGauge) -> float:
    """Reads `Station(host, 7070)`."""
    station = Station(host, 7070)
    try:
        return station.level(gauge) * 1.02
    finally:
        station.stop_station()


def trains() -> str:
    stop = Stop("north", 1)
    stop.stop_station()
    return stop.name
