import type { asymmetryByPart, ExpressionSet } from '@dimetra/core';
import { type Remote, wrap } from 'comlink';
import type { FigureWorker } from '../workers/figure.worker.ts';
import { fetchPacked } from './packed.ts';
import type { StandSettings } from './stand.ts';

export type Asymmetry = ReturnType<typeof asymmetryByPart>;

/** Asks a worker of its own, which goes when it has answered. */
async function asked<T>(question: (worker: Remote<FigureWorker>) => Promise<T>): Promise<T> {
  const worker = new Worker(new URL('../workers/figure.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await question(wrap<FigureWorker>(worker));
  } finally {
    worker.terminate();
  }
}

/** How far a figure is from its mirror image; the pieces are those the stage holds already. */
export async function measureAsymmetry(url: string, stand: StandSettings | null): Promise<Asymmetry> {
  const packed = await fetchPacked(url);
  return asked((worker) => worker.asymmetry(packed, stand));
}

/** The expressions that a revision of a character has, as a set. */
export async function learnSet(revision: string, title: string): Promise<ExpressionSet> {
  const packed = await fetchPacked(`/api/v1/revisions/${revision}/manifest`);
  return asked((worker) => worker.expressions(packed, title));
}
