import type { Document } from '@gltf-transform/core';
import { morphNamesOf } from '../character/index.ts';
import { putDelta } from './deltas.ts';
import { type MirrorPairs, sideOfVertex } from './mirror-pairs.ts';
import { putMorph } from './rewrite.ts';
import { flippedName, type Side } from './sides.ts';
import { inMesh, movementOf } from './standing.ts';
import { combined } from './stencil.ts';

/** What of a movement a vertex takes: its own, its partner's in the mirror, or what both sides share. */
type Take = 'own' | 'partner' | 'middle';

/** Copies one side of morphs onto the other. @param share how much of it every vertex takes; all where left out @returns vertices that move otherwise than before */
export function mirrorMorphs(
  document: Document,
  pairs: MirrorPairs,
  names: readonly string[],
  from: Side,
  share: Float32Array | null = null,
): number {
  const s = from === 'left' ? 1 : -1;
  let changed = 0;
  eachMorph(
    document,
    pairs,
    names,
    (name) => name,
    (v) => {
      const side = sideOfVertex(pairs, v);
      return side === 0 ? 'middle' : side === s ? 'own' : 'partner';
    },
    (count) => {
      changed += count;
    },
    share,
  );
  return changed;
}

/** Makes the mirror image of morphs, under the name of the other side; one that is there already is replaced. @returns names made */
export function flipMorphs(document: Document, pairs: MirrorPairs, names: readonly string[]): string[] {
  const made = names.map(flippedName);
  eachMorph(document, pairs, names, flippedName, () => 'partner');
  return made;
}

/** Gives every part that has a morph, or mirrors one that has it, another movement under `rename(name)`. */
function eachMorph(
  document: Document,
  pairs: MirrorPairs,
  names: readonly string[],
  rename: (name: string) => string,
  take: (vertex: number) => Take,
  told?: (changed: number) => void,
  share: Float32Array | null = null,
): void {
  for (const name of names) {
    const to = rename(name),
      deltas = { POSITION: movementOf(pairs, name, 'POSITION'), NORMAL: movementOf(pairs, name, 'NORMAL') };
    if (!deltas.POSITION) continue;
    const fresh = {
      POSITION: mirrored(pairs, deltas.POSITION, take, share),
      NORMAL: deltas.NORMAL && mirrored(pairs, deltas.NORMAL, take, share),
    };
    told?.(differing(deltas.POSITION, fresh.POSITION));
    for (const mesh of new Set(pairs.sheets.map(({ part }) => part.mesh))) {
      const own = pairs.sheets.filter(({ part }) => part.mesh === mesh),
        moves = own.some(({ first, vertices }) => anyIn(fresh.POSITION, first, vertices));
      if (!moves && !morphNamesOf(mesh).includes(to)) continue;
      putMorph(document, mesh, to, (prim) => {
        const sheet = own.find(({ part }) => part.prim === prim);
        if (!sheet) return undefined;
        const target = document.createPrimitiveTarget(to);
        putDelta(document, target, 'POSITION', inMesh(sheet, fresh.POSITION));
        if (fresh.NORMAL && prim.getAttribute('NORMAL'))
          putDelta(document, target, 'NORMAL', inMesh(sheet, fresh.NORMAL));
        return target;
      });
    }
  }
}

/** 1 for vertices that one of the morphs moves. */
export function movedBy(pairs: MirrorPairs, names: readonly string[]): Uint8Array {
  const out = new Uint8Array(pairs.rest.length / 3);
  for (const name of names) {
    const delta = movementOf(pairs, name, 'POSITION');
    if (delta) for (let i = 0; i < delta.length; i++) if (delta[i]) out[Math.floor(i / 3)] = 1;
  }
  return out;
}

function mirrored(
  pairs: MirrorPairs,
  delta: Float32Array,
  take: (vertex: number) => Take,
  share: Float32Array | null,
): Float32Array {
  const out = new Float32Array(delta.length),
    there = new Float64Array(3);
  for (let v = 0; v < out.length / 3; v++) {
    const what = take(v);
    if (what === 'own') {
      for (let k = v * 3; k < v * 3 + 3; k++) out[k] = delta[k];
      continue;
    }
    combined(there, pairs, v, delta);
    out[v * 3] = what === 'middle' ? 0 : 0 - there[0];
    out[v * 3 + 1] = there[1];
    out[v * 3 + 2] = there[2];
    if (share) for (let k = v * 3; k < v * 3 + 3; k++) out[k] = delta[k] + share[v] * (out[k] - delta[k]);
  }
  return out;
}

function differing(a: Float32Array, b: Float32Array): number {
  let count = 0;
  for (let i = 0; i < a.length; i += 3)
    if (Math.hypot(a[i] - b[i], a[i + 1] - b[i + 1], a[i + 2] - b[i + 2]) > 1e-6) count++;
  return count;
}
function anyIn(values: Float32Array, first: number, vertices: number): boolean {
  for (let i = first * 3; i < (first + vertices) * 3; i++) if (values[i]) return true;
  return false;
}
