import 'package:lanterns/lanterns.dart';

Future<void> main() async {
  final mole = Mole('tide.harbour.example');
  final lamp = mole.light('north');
  print(await lamp.text());
  mole.station.stopStation();
}
