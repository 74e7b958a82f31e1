package harbour.rail;

import railwire.Gauges;
import tidewire.clients.report.Report;

import java.util.Map;

class TrainTimes {
    // tidewire.client is mentioned here, in a comment only
    private final Map<String, Station> stations = Map.of("north", new Station("north", 1));

    double level(Object gauge) {
        return Gauges.level(gauge, "mm") + Report.of(gauge).level();
    }
}
