import { asymmetryByPart, createGltfIO, standAsFound, unpackDocument } from '@dimetra/core';
import type { GLTF } from '@gltf-transform/core';
import { expose } from 'comlink';

export interface AsymmetryInput {
  manifest: GLTF.IGLTF;
  pieces: Map<string, Uint8Array>;
  /** How a figure that came in is stood up; a result stands already. */
  stand: NonNullable<Parameters<typeof standAsFound>[1]> | null;
}

/** What is crooked about a figure, off the page's own thread. */
const work = {
  async asymmetry({ manifest, pieces, stand }: AsymmetryInput): Promise<ReturnType<typeof asymmetryByPart>> {
    const document = await unpackDocument(
      await createGltfIO(),
      manifest,
      (hash) => pieces.get(hash) ?? new Uint8Array(0),
    );
    if (stand) standAsFound(document, stand);
    return asymmetryByPart(document);
  },
};
export type AsymmetryWorker = typeof work;
expose(work);
