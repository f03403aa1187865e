import { useDesk } from '../stage/context.ts';
import { STATION_NAMES } from '../line/stations.ts';

/** A station without work for this character says so, and why. */
export function QuietBench() {
  const { open } = useDesk();
  const text = "The character keeps its own topology: the target doesn't ask for another.";
  return (
    <>
      <header>
        <h2>{STATION_NAMES[open]}</h2>
      </header>
      <p className="quiet">{text}</p>
    </>
  );
}
