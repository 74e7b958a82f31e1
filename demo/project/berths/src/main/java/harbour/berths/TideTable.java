package harbour.berths;

/** When the berths can be reached. */
class TideTable {
    TideTable tomorrow;
}
