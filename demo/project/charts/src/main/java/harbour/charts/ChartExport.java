package harbour.charts;

import harbour.charts.marks.Gauge;

public class ChartExport {
    /** One mark for each gauge of the harbour. */
    Gauge convert(tidewire.client.TideGauge gauge) {
        return new Gauge(tidewire.client.Gauges.level(gauge, "m"));
    }
}
