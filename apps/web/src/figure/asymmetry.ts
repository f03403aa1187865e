import { type asymmetryByPart, piecesOf } from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import { wrap } from 'comlink';
import type { AsymmetryWorker } from '../workers/asymmetry.worker.ts';
import { fetchPieces } from './pieces.ts';
import type { StandSettings } from './stand.ts';

export type Asymmetry = ReturnType<typeof asymmetryByPart>;

/** Measures in a worker how far a figure is from its mirror image; the pieces are those the stage holds already. */
export async function measureAsymmetry(url: string, stand: StandSettings | null): Promise<Asymmetry> {
  const manifest = (await (await fetch(url)).json()) as GLTF.IGLTF,
    pieces = await fetchPieces(piecesOf({ ...manifest, images: [] })),
    worker = new Worker(new URL('../workers/asymmetry.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await wrap<AsymmetryWorker>(worker).asymmetry({ manifest, pieces, stand });
  } finally {
    worker.terminate();
  }
}
