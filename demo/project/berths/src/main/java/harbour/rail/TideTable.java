package harbour.rail;

/** When the quay's rails are under water; not harbour.berths.TideTable. */
class TideTable {
}
