import type { Document } from '@gltf-transform/core';
import { floatsOf, listParts } from '../character/index.ts';
import { deltaOf, MOVED } from './deltas.ts';

export interface MorphCost {
  name: string;
  /** Vertices moved by more than a hundredth of a millimetre, over all parts. */
  moves: number;
  /** Largest movement, millimetres. */
  maxMm: number;
  /** Parts that it moves. */
  parts: string[];
  /** Bytes if stored densely. */
  bytes: number;
  /** Bytes in a file, stored sparsely where that is less (glTF 2.0 §3.6.2.3). */
  fileBytes: number;
  /** Changes normals or tangents without moving anything. */
  shadesOnly: boolean;
}

/** Movements below this are nothing, metres. */
export const NOTHING = 1e-5;

/** What each morph moves and what it costs (M2). */
export function morphCosts(document: Document): MorphCost[] {
  const rows = new Map<string, MorphCost>();
  for (const part of listParts(document)) {
    part.prim.listTargets().forEach((target, i) => {
      const name = part.morphNames[i];
      const row = rows.get(name) ?? { name, moves: 0, maxMm: 0, parts: [], bytes: 0, fileBytes: 0, shadesOnly: false };
      rows.set(name, row);
      const accessor = target.getAttribute('POSITION'),
        { moved, farthest } = accessor ? reachOf(floatsOf(accessor)) : { moved: 0, farthest: 0 };
      for (const of of MOVED) {
        const delta = deltaOf(target, of);
        if (!delta) continue;
        const changed = changedIn(delta);
        row.bytes += delta.byteLength;
        row.fileBytes += Math.min(delta.byteLength, changed * SPARSE);
        if (of !== 'POSITION' && changed) row.shadesOnly = true;
      }
      row.moves += moved;
      row.maxMm = Math.max(row.maxMm, farthest * 1000);
      if (moved) row.parts.push(part.name);
    });
  }
  for (const row of rows.values()) row.shadesOnly &&= row.moves === 0;
  return [...rows.values()];
}
/** Bytes of one vertex in a sparse accessor: its number and three floats. */
const SPARSE = 16;

// Loops over whole arrays stand alone, so that their compiled code outlives the document.
function reachOf(delta: Float32Array): { moved: number; farthest: number } {
  let moved = 0,
    most = 0;
  for (let k = 0; k < delta.length; k += 3) {
    const d = delta[k] * delta[k] + delta[k + 1] * delta[k + 1] + delta[k + 2] * delta[k + 2];
    if (d > NOTHING * NOTHING) moved++;
    if (d > most) most = d;
  }
  return { moved, farthest: Math.sqrt(most) };
}
function changedIn(delta: Float32Array): number {
  let changed = 0;
  for (let k = 0; k < delta.length; k += 3) if (delta[k] || delta[k + 1] || delta[k + 2]) changed++;
  return changed;
}
