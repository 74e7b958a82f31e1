package harbour.berths;

import java.time.Duration;
import java.util.ArrayList;
import java.util.List;

import tidewire.client.Gauges;
import tidewire.client.Station;
import tidewire.client.TideGauge;

/**
 * Assigns berths by draught and tide. The {@code new Station(host, port)} of old notes is Tidewire's.
 */
public class BerthService {
    private static final String HELP = "new Station(host, 7070) opens a station";

    private final Station station;
    private final List<TideGauge> gauges = new ArrayList<>();

    public BerthService(String host) {
        this.station = new Station(host, 7070);
    }

    /** Opens the pilot's station beside the harbour's. */
    Station pilots(String host, Duration patience) {
        return new Station(
                host, // the pilot's host
                patience.toSecondsPart() > 5 ? 7071 : 7072);
    }

    double depth(TideGauge gauge) {
        // Gauges.level(gauge, "m") of version 2 took the gauge first
        return Gauges.level(gauge, "m") - Gauges.level(reference(), /* datum */ "m");
    }

    double raw(TideGauge gauge, String unit) {
        return Gauges.level(gauge, unit);
    }

    private TideGauge reference() {
        return gauges.get(0);
    }

    void close() {
        station.stopStation();
        Gauges.dump(System.out);
    }

    String help() {
        return HELP;
    }
}
