import { piecesOf, type deviationByVertex } from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import { wrap } from 'comlink';
import type { DeviationInput, DeviationWorker } from '../workers/deviation.worker.ts';
import { fetchPieces } from './pieces.ts';
import type { StandSettings } from './stand.ts';

export type Deviation = ReturnType<typeof deviationByVertex>;

/** Measures the heat map in a worker; the pieces are those the stage holds already. */
export async function measureDeviation(
  sourceUrl: string,
  resultUrl: string,
  stand: StandSettings,
  decided: DeviationInput['decided'],
): Promise<Deviation> {
  const [source, result] = (await Promise.all(
    [sourceUrl, resultUrl].map(async (url) => (await fetch(url)).json()),
  )) as [GLTF.IGLTF, GLTF.IGLTF];
  const pieces = await fetchPieces([
    ...new Set([source, result].flatMap((manifest) => piecesOf({ ...manifest, images: [] }))),
  ]);
  const worker = new Worker(new URL('../workers/deviation.worker.ts', import.meta.url), { type: 'module' });
  try {
    return await wrap<DeviationWorker>(worker).deviation({ source, result, pieces, stand, decided });
  } finally {
    worker.terminate();
  }
}
