package harbour.berths;

import tidewire.client.Stations;

class NightJob implements Runnable {
    @Override
    public void run() {
        try (var station = Stations.shared()) {
            station.read();
        }
    }
}
