import {
  asPosed,
  createGltfIO,
  deviationByVertex,
  type Recipe,
  type Target,
  standAsFound,
  takeHome,
  unpackDocument,
} from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import { expose } from 'comlink';

export interface DeviationInput {
  source: GLTF.IGLTF;
  result: GLTF.IGLTF;
  pieces: Map<string, Uint8Array>;
  stand: NonNullable<Parameters<typeof standAsFound>[1]>;
  decided: { recipe: Recipe; target: Target };
}

/** Distances between source and result, off the page's own thread. */
const work = {
  async deviation({
    source,
    result,
    pieces,
    stand,
    decided,
  }: DeviationInput): Promise<ReturnType<typeof deviationByVertex>> {
    const io = await createGltfIO();
    const piece = (hash: string) => pieces.get(hash) ?? new Uint8Array(0);
    const arrived = await unpackDocument(io, source, piece);
    standAsFound(arrived, stand);
    const converted = await unpackDocument(io, result, piece);
    takeHome(converted);
    return deviationByVertex(asPosed(arrived, decided), converted);
  },
};
export type DeviationWorker = typeof work;
expose(work);
