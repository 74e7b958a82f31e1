package harbour.charts.marks;

public record Gauge(double level) {}
