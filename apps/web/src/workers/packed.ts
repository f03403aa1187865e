import { createGltfIO, unpackDocument } from '@dimetra/core';
import type { Document, GLTF } from '@gltf-transform/core';

/** A figure as a worker unpacks it: its geometry, without images. */
export interface PackedFigure {
  manifest: GLTF.IGLTF;
  pieces: Map<string, Uint8Array>;
}

export const unpacked = async ({ manifest, pieces }: PackedFigure): Promise<Document> =>
  unpackDocument(await createGltfIO(), manifest, (hash) => pieces.get(hash) ?? new Uint8Array(0));
