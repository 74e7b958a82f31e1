package harbour.rail;

class Station {
    private final String name;
    private final int track;

    Station(String name, int track) {
        this.name = name;
        this.track = track;
    }

    void stopStation() {
        System.out.println("tidewire.client.Station is another one; this is " + name + " " + track);
    }
}
