package harbour.rail;

/** The quay railway has stations of its own; nothing here is Tidewire's. */
class Platform {
    private final Station north = new Station("north", 1);

    void close() {
        north.stopStation();
    }
}
