import Foundation
import Tidewire

/// A dive below the quay: it waits for slack water.
final class Dive: StationDelegate {
    let gauge: TideGauge
    private var stations: [String: Station] = [:]

    init(gauge: TideGauge = TideGauge(name: "quay")) {
        self.gauge = gauge
    }

    func start(host: String) throws -> Bool {
        let station = Station(host: host, port: 7070)
        stations[host] = station
        guard try station.level(of: gauge, in: .metres) < 3.2, !station.isBusy() else {
            stations.removeValue(forKey: host)?.stopStation()
            return false
        }
        return true
    }

    func station(_ station: Station, didRead level: Double, of gauge: TideGauge) {
        print("\(gauge.name): \(level) m at \(station.host)")
    }

    // Station(host:port:) was the way in until the berths moved.
    func end(berth: Berth) {
        stations.values.forEach { $0.stopStation() }
        berth.stopStation()
    }
}
