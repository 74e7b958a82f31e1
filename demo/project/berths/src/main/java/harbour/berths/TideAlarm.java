package harbour.berths;

import static tidewire.client.Gauges.level;

import tidewire.client.*;
import tidewire.client.raw.Frame;

class TideAlarm {
	private final Stations stations = new Stations();
	private TideMark mark;

	@OnTide(level = 4)
	void high(TideGauge gauge) {
		if (level(gauge, "m") > 4.2) {
			warn(new Station("mole"));
		}
	}

	void warn(Station station) {
		TideClock.sync(); // the siren reads the same clock
		station.ring(mark);
	}

	Frame frame(TideGauge gauge) {
		return Frame.of(gauge);
	}
}
