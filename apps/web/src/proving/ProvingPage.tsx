import { useEffect, useRef, useState } from 'react';
import { useParams } from 'react-router';
import { sentenceOf, useRunQuery } from '../api/api.ts';
import type { Arrival } from '../api/upload.ts';
import { useDrop } from '../api/use-drop.ts';
import { ProvingBench } from './ProvingBench.tsx';
import styles from './proving.module.css';
import { StickRing } from './StickRing.tsx';
import { fetchPackage, useWorld } from './use-world.ts';
import { WayHints } from './WayHints.tsx';

const DOES = { idle: 'stands', turn: 'turns', walk: 'walks', run: 'runs', climb: 'climbs' } as const;

/** The delivered package, loaded afresh by a loader that isn't ours, walking about the port of Vell Sund. */
export function ProvingPage() {
  const { runId } = useParams(),
    canvas = useRef<HTMLCanvasElement>(null),
    { world, moment, trial, open } = useWorld(canvas, runId !== undefined),
    { data: run, error } = useRunQuery(runId ?? '', { skip: !runId }),
    /** What was dropped here instead of a run's package. */
    [own, setOwn] = useState<string | null>(null),
    deliveryId = run?.deliveryId ?? null;
  useEffect(() => {
    if (!world || !deliveryId) return;
    setOwn(null);
    void open(() => fetchPackage(deliveryId), 'Fetching the package');
  }, [world, deliveryId, open]);
  const problem = error ? sentenceOf(error) : run && !deliveryId ? 'This run made no package.' : null;
  useEffect(() => {
    if (problem) world?.giveUp();
  }, [problem, world]);
  const tryFiles = (arrivals: Arrival[]) => {
    if (!arrivals.length) return;
    const name = arrivals.length === 1 ? arrivals[0].path : `${arrivals.length} files`;
    setOwn(name);
    void open(
      () =>
        Promise.all(
          arrivals.map(async ({ path, file }) => ({ path, bytes: new Uint8Array(await file.arrayBuffer()) })),
        ),
      `Opening ${name}`,
    );
  };
  const { over, handlers } = useDrop(tryFiles),
    walker = moment?.walker;
  return (
    <main className={styles.ground}>
      {/* biome-ignore lint/a11y/noStaticElementInteractions: dropping has a button beside it */}
      <section
        className={`${styles.view} ${over ? styles.over : ''}`}
        aria-label="The quay"
        data-proving={trial.state}
        data-doing={walker?.doing}
        data-x={walker?.x.toFixed(2)}
        data-y={walker?.y.toFixed(2)}
        data-z={walker?.z.toFixed(2)}
        data-frames={moment?.frames}
        {...handlers}
      >
        {/* biome-ignore lint/a11y/noNoninteractiveTabindex: the figure is walked about by keys */}
        <canvas ref={canvas} tabIndex={0} aria-label="The figure on the quay. Arrow keys walk, Shift runs." />
        {walker && (
          <div className={styles.doing}>
            Vell Sund, {walker.y > 2 ? 'bridge' : 'quay'} · {DOES[walker.doing]}
          </div>
        )}
        <StickRing canvas={canvas} />
        <WayHints />
      </section>
      <ProvingBench
        world={world}
        moment={moment}
        trial={problem ? { state: 'failed', message: problem } : trial}
        run={own === null ? (run ?? null) : null}
        runId={runId}
        own={own}
        onFiles={tryFiles}
      />
    </main>
  );
}
