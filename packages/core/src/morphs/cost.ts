import { floatsOf, listParts } from '../character/index.ts';
import type { Document } from '@gltf-transform/core';

export interface MorphCost {
  name: string;
  /** Vertices moved by more than a hundredth of a millimetre, over all parts. */
  moves: number;
  /** Largest movement, millimetres. */
  maxMm: number;
  /** Parts that have it. */
  parts: string[];
  /** Bytes if stored densely. */
  bytes: number;
}

/** What each morph moves and what it costs (M2). */
export function morphCosts(document: Document): MorphCost[] {
  const rows = new Map<string, MorphCost>();
  for (const part of listParts(document)) {
    part.prim.listTargets().forEach((target, i) => {
      const name = part.morphNames[i];
      const row = rows.get(name) ?? { name, moves: 0, maxMm: 0, parts: [], bytes: 0 };
      rows.set(name, row);
      const accessor = target.getAttribute('POSITION');
      if (!accessor) return;
      const delta = floatsOf(accessor);
      let moved = 0,
        most = 0;
      for (let k = 0; k < delta.length; k += 3) {
        const d = Math.hypot(delta[k], delta[k + 1], delta[k + 2]);
        if (d > 1e-5) moved++;
        if (d > most) most = d;
      }
      row.moves += moved;
      row.maxMm = Math.max(row.maxMm, most * 1000);
      row.bytes += delta.byteLength * target.listSemantics().length;
      if (moved) row.parts.push(part.name);
    });
  }
  return [...rows.values()];
}
