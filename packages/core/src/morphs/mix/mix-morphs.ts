import type { Document } from '@gltf-transform/core';
import { listMorphNames } from '../../character/index.ts';
import { NOTHING } from '../cost.ts';
import { deltaOf, putDelta } from '../deltas.ts';
import { putMorph } from '../rewrite.ts';
import { intoSheet, movementOf, type Sheet, targetOf } from '../standing.ts';
import { combined } from '../stencil.ts';
import type { PreparedMix } from './prepare.ts';

/**
 * Mixes every morph as the shape is mixed: each vertex takes the movements of all figures by their shares there. A morph
 * that another figure hasn't stays as it is on its share; one that only another has comes along with as much as that has a share.
 * @returns morphs that came along
 */
export function mixMorphs(
  document: Document,
  { own, others }: PreparedMix,
  shares: readonly Float32Array[],
  stop: () => void,
): string[] {
  const names = listMorphNames(document),
    have = others.map(({ person }) => new Set(listMorphNames(person.document))),
    fresh = [...new Set(have.flatMap((each) => [...each]))].filter((name) => !names.includes(name)),
    before = new Float32Array(own.rest.length),
    theirs = others.map(({ person }) => new Float32Array(person.rest.length)),
    came = new Set<string>();
  for (const name of [...names, ...fresh]) {
    stop();
    for (const of of ['POSITION', 'NORMAL'] as const) {
      const moves = movementOf(own, name, of, before) !== null,
        // A figure without the morph, or without its normals, is taken to move as this one does.
        those = others.map(({ person }, k) =>
          have[k].has(name) && movementOf(person, name, of, theirs[k]) ? theirs[k] : null,
        );
      if (!those.some(Boolean) || (of === 'NORMAL' && !moves)) continue;
      own.sheets.forEach((sheet, i) => {
        if (!others.some(({ matches }, k) => matches[i] && those[k])) return;
        const delta = mixed(sheet, i, others, shares, before, those),
          target = targetOf(sheet, name);
        if (!delta) return;
        if (target) {
          if (of === 'POSITION' || deltaOf(target, of)) putDelta(document, target, of, intoSheet(sheet, delta));
        } else if (of === 'POSITION') {
          if (fresh.includes(name)) came.add(name);
          const made = document.createPrimitiveTarget(name);
          putDelta(document, made, of, intoSheet(sheet, delta));
          putMorph(document, sheet.part.mesh, name, (prim) => (prim === sheet.part.prim ? made : undefined));
        }
      });
    }
  }
  return [...came];
}

/** Mixed movements of a part's own vertices; null where it neither moves nor moved. */
function mixed(
  { first, vertices }: Sheet,
  index: number,
  others: PreparedMix['others'],
  shares: readonly Float32Array[],
  own: Float32Array,
  those: readonly (Float32Array | null)[],
): Float32Array | null {
  const before = own.subarray(first * 3, (first + vertices) * 3),
    out = before.slice(),
    place = new Float64Array(3);
  others.forEach(({ matches }, k) => {
    const match = matches[index],
      their = those[k],
      share = shares[k];
    if (!match || !their) return;
    for (let v = 0; v < vertices; v++) {
      const w = share[first + v];
      if (!w || match.corner[v * 3] < 0) continue;
      combined(place, match, v, their);
      for (let c = 0; c < 3; c++) out[v * 3 + c] += w * (place[c] - before[v * 3 + c]);
    }
  });
  return before.some(Boolean) || out.some((value) => Math.abs(value) > NOTHING) ? out : null;
}
