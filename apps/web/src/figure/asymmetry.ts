import type { asymmetryByPart } from '@dimetra/core';
import { wrap } from 'comlink';
import type { AsymmetryWorker } from '../workers/asymmetry.worker.ts';
import { fetchPacked } from './packed.ts';
import type { StandSettings } from './stand.ts';

export type Asymmetry = ReturnType<typeof asymmetryByPart>;

/** Measures in a worker how far a figure is from its mirror image; the pieces are those the stage holds already. */
export async function measureAsymmetry(url: string, stand: StandSettings | null): Promise<Asymmetry> {
  const { manifest, pieces } = await fetchPacked(url),
    worker = new Worker(new URL('../workers/asymmetry.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await wrap<AsymmetryWorker>(worker).asymmetry({ manifest, pieces, stand });
  } finally {
    worker.terminate();
  }
}
