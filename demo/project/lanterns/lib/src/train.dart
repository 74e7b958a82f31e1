/// The railway has stations of its own.
class Station {
  Station(this.name, {required int port}) : platform = port;

  final String name;
  final int platform;

  void stopStation() {}
}
