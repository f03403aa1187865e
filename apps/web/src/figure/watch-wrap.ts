import type { WrapAsked } from '@dimetra/core';
import { proxy, wrap } from 'comlink';
import type { WrapFigure, WrapFound, WrapMoment, WrapWorker } from '../workers/wrap.worker.ts';
import { fetchPacked } from './packed.ts';
import type { StandSettings } from './stand.ts';

/** A figure's skin as it takes on the source's shape on the stage, before anything is run. */
export interface WrapWatch {
  state: 'off' | 'running' | 'done' | 'failed';
  /** 0 … 1 */
  done: number;
  surface: WrapSurface | null;
  found: WrapFound | null;
  message: string | null;
  start(): void;
  /** Ends it, or takes it off the stage. */
  stop(): void;
}
export interface WrapSurface {
  corners: Uint32Array;
  places: Float32Array;
}
/** A figure by its id, or another character by its revision. */
export type Whose = { name: string } & ({ figure: string } | { revision: string });

/** Lets a figure's skin take on a character's shape in a worker. @returns what comes of it, and a way to stop */
export function watchWrap(
  sourceUrl: string,
  stand: StandSettings,
  whose: Whose,
  asked: WrapAsked,
  told: (moment: WrapMoment) => void,
): { found: Promise<WrapFound>; stop(): void } {
  const worker = new Worker(new URL('../workers/wrap.worker.ts', import.meta.url), { type: 'module' }),
    stop = () => worker.terminate(),
    found = (async () => {
      const [source, figure] = await Promise.all([fetchPacked(sourceUrl), figureOf(whose)]);
      return wrap<WrapWorker>(worker).wrap(source, stand, figure, asked, proxy(told));
    })();
  found.then(stop, stop);
  return { found, stop };
}

async function figureOf(whose: Whose): Promise<WrapFigure> {
  const { name } = whose;
  if ('revision' in whose) return { name, packed: await fetchPacked(`/api/v1/revisions/${whose.revision}/manifest`) };
  const answer = await fetch(`/api/v1/figures/${whose.figure}/archive`);
  if (!answer.ok) throw new Error(`${name} is not here any more; choose another figure`);
  return { name, archive: new Uint8Array(await answer.arrayBuffer()) };
}
