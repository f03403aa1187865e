import { Button, FileButton } from '@mantine/core';
import { readCharacter, RANGE_SECONDS, SAMPLE_MOTIONS, sampleMotions, standAsFound } from '@dimetra/core';
import { IconPlayerPause, IconPlayerPlay } from '@tabler/icons-react';
import { useState } from 'react';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { clipChosen, playSwitched, RANGE } from '../store/view-slice.ts';

/** What moves the character: its own clips, the range of motion, sample motions, and one from a file; all on both figures. */
export function MotionBench() {
  const { character, stage } = useDesk();
  const dispatch = useAppDispatch();
  const { clips } = character.revision.summary;
  const [loaded, setLoaded] = useState<{ file: string; names: string[]; note: string } | null>(null);
  const [problem, setProblem] = useState<string | null>(null);
  const borrow = (name: string) => {
    stage.current?.setMotion(sampleMotions());
    setLoaded(null);
    dispatch(clipChosen(name));
  };
  const load = async (file: File | null) => {
    if (!file) return;
    setProblem(null);
    try {
      const { document } = await readCharacter([{ path: file.name, bytes: new Uint8Array(await file.arrayBuffer()) }]),
        names = document
          .getRoot()
          .listAnimations()
          .map((clip) => clip.getName());
      // A motion may lie or come in centimetres as a character may.
      standAsFound(document, { floor: false });
      if (!names.length) {
        setProblem(`“${file.name}” holds no motion.`);
        return;
      }
      stage.current?.setMotion(document);
      setLoaded({
        file: file.name,
        names,
        note: `${document.getRoot().listSkins()[0]?.listJoints().length ?? 0} joints of another skeleton`,
      });
      dispatch(clipChosen(names[0]));
    } catch (error) {
      setProblem((error as Error).message);
    }
  };
  return (
    <>
      <header>
        <h2>Motion</h2>
      </header>
      <p className="quiet says">
        Both figures move together, each joint by the turn of its role away from rest. Clips of the character travel
        with its skeleton through every step.
      </p>
      {problem && (
        <div className="card blocks" role="alert">
          <p className="only">{problem}</p>
        </div>
      )}
      <h3>The character's own</h3>
      {clips.length ? (
        <List
          rows={clips.map((clip) => ({
            name: clip.name,
            says: `${clip.seconds.toFixed(1)} s, ${clip.channels} channels`,
          }))}
        />
      ) : (
        <p className="quiet">It brings no clips.</p>
      )}
      <h3>To judge it by</h3>
      <List
        rows={[
          { name: RANGE, says: `${RANGE_SECONDS.toFixed(0)} s, made for this skeleton` },
          ...SAMPLE_MOTIONS.map((name) => ({ name, says: 'from another skeleton', onPlay: () => borrow(name) })),
        ]}
      />
      <h3>From a file</h3>
      <FileButton accept=".bvh,.glb,.dae,.vrm,.usda,.usdc,.usdz,.usd" onChange={load}>
        {(props) => (
          <Button size="compact-sm" variant="default" {...props}>
            Load a motion
          </Button>
        )}
      </FileButton>
      {loaded && (
        <>
          <p className="quiet">
            {loaded.file}: {loaded.note}
          </p>
          <List rows={loaded.names.map((name) => ({ name, says: 'played through joint roles' }))} />
        </>
      )}
    </>
  );
}

function List({ rows }: { rows: { name: string; says: string; onPlay?: () => void }[] }) {
  const dispatch = useAppDispatch();
  const { clip, playing } = useAppSelector((state) => state.view);
  return (
    <table className="list">
      <tbody>
        {rows.map((row) => (
          <tr key={row.name} aria-selected={clip === row.name}>
            <td className="sign">
              <button
                type="button"
                className="crumb"
                aria-label={`${clip === row.name && playing ? 'Stop' : 'Play'} ${row.name}`}
                onClick={() => {
                  if (clip === row.name) dispatch(playSwitched(!playing));
                  else if (row.onPlay) row.onPlay();
                  else dispatch(clipChosen(row.name));
                }}
              >
                {clip === row.name && playing ? <IconPlayerPause size={15} /> : <IconPlayerPlay size={15} />}
              </button>
            </td>
            <td>{row.name}</td>
            <td className="quiet">{row.says}</td>
          </tr>
        ))}
      </tbody>
    </table>
  );
}
