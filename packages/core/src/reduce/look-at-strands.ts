import type { Document } from '@gltf-transform/core';
import { type StrandPixels, strandsSeen } from '../appearance/index.ts';
import { createDeformer, groundOf, heightAbove, isUnderStrands, type Part } from '../character/index.ts';

/** How strands lie on their figure at rest, before anything of it goes. */
export interface StrandLook {
  /** What shows of a part's strands. */
  seen(part: Part): StrandPixels;
  /** Where its vertices stand, metres: three each. */
  places(part: Part): Float32Array;
  /** Whether a place lies above skin and scalp, or so little below that it may as well be. */
  isAbove(x: number, y: number, z: number): boolean;
}

/** Strands may lie so far under the ground, metres: surfaces of triangles run a little beside each other. */
const BELOW = 3e-4;

export function lookAtStrands(document: Document): StrandLook {
  const deformer = createDeformer(document, () => true, false),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    ground = groundOf(deformer, positions, isUnderStrands),
    seen = strandsSeen(document);
  return {
    seen: ({ id }) => seen.get(id) ?? new Int32Array(0),
    places({ prim, node }) {
      const range = deformer.ranges.find(({ part }) => part.prim === prim && part.node === node);
      return range
        ? positions.slice(range.firstVertex * 3, (range.firstVertex + range.vertices) * 3)
        : new Float32Array(0);
    },
    isAbove: (x, y, z) => !ground || heightAbove(ground, x, y, z) > -BELOW,
  };
}
