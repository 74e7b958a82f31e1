import { Station, type TideGauge } from 'tidewire';
import { Station as Stop } from './trains';

/** Shows what `new Station(host, port)` reads. */
export function Board({ host, gauge }: { host: string; gauge: TideGauge }) {
  const quay = new Station(host, 7070);
  const stop = new Stop('north', 1);
  return (
    <section title="new Station(host, 7070)">
      <h1>{stop.name}</h1>
      <Level station={quay} gauge={gauge} />
    </section>
  );
}

function Level({ station, gauge }: { station: Station; gauge: TideGauge }) {
  return <p>{station.level(gauge)} m</p>;
}
