import type { GLTF } from '@gltf-transform/core';

/** A figure as a worker unpacks it: its geometry, without images. */
export interface PackedFigure {
  manifest: GLTF.IGLTF;
  pieces: Map<string, Uint8Array>;
}
