import type { Document } from '@gltf-transform/core';
import { createDeformer, type Deformer, type MaterialKind, type Part } from '../character/index.ts';

/** Some of a character's parts at rest in character space. */
export interface Inner {
  deformer: Deformer;
  rest: Float32Array;
  normals: Float32Array;
}

export function restOf(document: Document, of: (part: Part) => boolean, withMorphs = false): Inner {
  const deformer = createDeformer(document, of, withMorphs),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  return { deformer, rest, normals: deformer.evaluateNormals(new Float32Array(rest.length), rest) };
}

/** Places of all vertices of a kind, of one side where it is said. */
export function pointsOf({ deformer, rest }: Inner, kind: MaterialKind, side?: 'left' | 'right'): number[] {
  const out: number[] = [];
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    if (part.kind !== kind) continue;
    for (let o = firstVertex * 3; o < (firstVertex + vertices) * 3; o += 3)
      if (!side || rest[o] > 0 === (side === 'left')) out.push(rest[o], rest[o + 1], rest[o + 2]);
  }
  return out;
}

/** Kinds that say where the bite is, the first that a character has. */
export const BITE_KINDS = ['teeth', 'gums', 'tongue'] as const;
