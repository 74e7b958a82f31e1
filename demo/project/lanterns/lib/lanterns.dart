import 'dart:async';

import 'package:tidewire/client.dart';

import 'src/train.dart' as rail;

/// A lamp that shows how high the tide of its [gauge] stands.
class Lantern {
  Lantern(this.station, {required this.gauge, this.dimmed = false});

  final Station station;
  final TideGauge gauge;
  bool dimmed;

  Future<String> text() async {
    final level = await station.level(gauge);
    return '${gauge.name}: $level m${dimmed ? ' (dimmed)' : ''}';
  }
}

/// All lanterns of a mole, and what the last train says.
class Mole {
  Mole(String host)
      : station = Station(host, port: 7070),
        train = rail.Station('north', port: 1);

  final Station station;
  final rail.Station train;
  final List<TideGauge> gauges = [];

  Lantern light(String name) {
    final gauge = TideGauge(name);
    gauges.add(gauge);
    return Lantern(station, gauge: gauge);
  }

  void dark() {
    train.stopStation();
    station
      ..flush()
      ..stopStation();
  }
}
