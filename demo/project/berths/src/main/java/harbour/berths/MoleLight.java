package harbour.berths;

import tidewire.client.Station;

// written on the harbour master's old machine
class MoleLight {
	Station station = new tidewire.client.Station("mole", 7070);

	void off(Station other) {
		other.stopStation();
	}
}