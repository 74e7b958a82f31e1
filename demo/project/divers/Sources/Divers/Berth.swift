import Rail

/// A berth of the divers; its station is one of the railway.
struct Berth {
    let station: Rail.Station

    func stopStation() {
        print("TideGauge at \(station.name) is off")
    }
}
