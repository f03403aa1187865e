import type { Document } from '@gltf-transform/core';
import { STRAND_KINDS } from '../character/index.ts';
import { mirrorPairs, type MirrorPairs } from './mirror-pairs.ts';
import { combined } from './stencil.ts';

export interface Asymmetry {
  /** Distance of each vertex from what lies at its place in the mirror, metres; NaN where nothing does. */
  off: Float32Array;
  /** Over all but hair, lashes and brows, which lie as they grew. */
  rmsMm: number;
  maxMm: number;
  /** Share of the same vertices that have a partner of their own. */
  paired: number;
}

/** How far a figure at rest is from its mirror image, vertex by vertex. @param only 1 for vertices that are counted; all where left out */
export function asymmetryOf(pairs: MirrorPairs, only?: Uint8Array): Asymmetry {
  const { rest, corner, paired, middle, sheets, partOf } = pairs,
    there = new Float64Array(3),
    strands = sheets.map(({ part }) => STRAND_KINDS.includes(part.kind)),
    off = new Float32Array(rest.length / 3).fill(Number.NaN);
  let sum = 0,
    counted = 0,
    most = 0,
    partners = 0,
    looked = 0;
  for (let v = 0; v < off.length; v++) {
    if (!strands[partOf[v]] && (only?.[v] ?? 1)) {
      partners += paired[v];
      looked++;
    }
    if (corner[v * 3] < 0) continue;
    combined(there, pairs, v, rest);
    const d = Math.hypot(2 * middle - rest[v * 3] - there[0], rest[v * 3 + 1] - there[1], rest[v * 3 + 2] - there[2]);
    off[v] = d;
    if (strands[partOf[v]] || !(only?.[v] ?? 1)) continue;
    sum += d * d;
    counted++;
    if (d > most) most = d;
  }
  return {
    off,
    rmsMm: Math.sqrt(sum / (counted || 1)) * 1000,
    maxMm: most * 1000,
    paired: looked ? partners / looked : 1,
  };
}

/** How far each part of a standing figure is from its mirror image, vertex by vertex, millimetres; NaN where nothing lies at a mirrored place, and for strands. */
export function asymmetryByPart(document: Document): {
  parts: Map<string, Float32Array>;
  rmsMm: number;
  maxMm: number;
} {
  const pairs = mirrorPairs(document),
    { off, rmsMm, maxMm } = asymmetryOf(pairs);
  return {
    parts: new Map(
      pairs.sheets.map(({ part, first, vertices }) => [
        part.id,
        off
          .slice(first, first + vertices)
          .map((metres) => (STRAND_KINDS.includes(part.kind) ? Number.NaN : metres * 1000)),
      ]),
    ),
    rmsMm,
    maxMm,
  };
}
