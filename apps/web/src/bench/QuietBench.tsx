import { useDesk } from '../desk/context.ts';
import { STATION_NAMES } from '../line/stations.ts';

/** A station without work for this character says so, and why. */
export function QuietBench() {
  const { open } = useDesk();
  const text = 'The character keeps its own topology: the target doesn\'t ask for another.';
  return <><header><h2>{STATION_NAMES[open]}</h2></header><p className="quiet">{text}</p></>;
}

export function MotionBench() {
  const { character } = useDesk();
  const { clips } = character.revision.summary;
  if (!clips.length) return <><header><h2>Motion</h2></header><p className="quiet">The character brings no clips. The range-of-motion poses under the stage show how it bends.</p></>;
  return (
    <>
      <header><h2>Motion</h2></header>
      <p className="quiet">Clips travel with the skeleton: channels of renamed joints follow, those of merged joints are listed at the skeleton.</p>
      <table className="list"><thead><tr><th>Clip</th><th className="n">Seconds</th><th className="n">Channels</th></tr></thead><tbody>{clips.map((clip) => <tr key={clip.name}><td>{clip.name}</td><td className="n num">{clip.seconds.toFixed(1)}</td><td className="n num">{clip.channels}</td></tr>)}</tbody></table>
    </>
  );
}
