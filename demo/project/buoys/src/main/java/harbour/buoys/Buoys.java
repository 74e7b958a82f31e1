package harbour.buoys;

import tidewire.client.Gauges;
import tidewire.client.Station;

/** Reads the gauges on the buoys. */
class Buoys {
    double level(String host, String gauge) {
        Station station = new Station(host, 7071);
        try {
            return Gauges.level(gauge, "m");
        } finally {
            station.stopStation();
        }
    }
}
