import { trianglesOf } from '../../character/index.ts';
import { carriedAs } from '../carry.ts';
import { evenOut } from '../even-out.ts';
import type { OnSkin } from '../on-skin.ts';
import type { Sheet } from '../standing.ts';
import { combined } from '../stencil.ts';
import type { PreparedMix } from './prepare.ts';

/** What is moved and whose share it is, over all vertices of the figure; what is no skin yet is filled in. */
export interface Moving {
  moved: Float32Array;
  shares: readonly Float32Array[];
}

/** Rounds in which what is worn takes on its neighbours' shares, so that a border of the skin is none in the cloth. */
const ROUNDS = 8;

/**
 * A part that other figures have too: mixed as the skin below it is, and moved by what the fitting of that skin added.
 * What only some of them have takes the others' share as its own.
 */
export function mixWorn(
  { own, others }: PreparedMix,
  { sheet, on, index }: { sheet: Sheet; on: OnSkin; index: number },
  { moved, shares }: Moving,
): void {
  const { first, vertices, part } = sheet,
    all = new Float32Array(vertices * 3),
    extra = new Float32Array(vertices * 3),
    place = new Float64Array(3),
    indices = trianglesOf(part.prim),
    rest = own.rest.subarray(first * 3, (first + vertices) * 3),
    rooted = carriedAs(part.kind)?.rooted ?? false,
    has = others.map(({ matches }) => matches[index] !== null);
  for (let v = 0; v < vertices; v++) {
    if (on.corner[v * 3] < 0) continue;
    combined(place, on, v, moved);
    extra.set(place, v * 3);
    others.forEach(({ places }, k) => {
      let share = 0;
      for (let c = v * 3; c < v * 3 + 3; c++) share += on.share[c] * shares[k][on.corner[c]];
      all[v * 3 + k] = share;
      for (let c = 0; c < 3; c++) {
        let off = 0;
        for (let s = v * 3; s < v * 3 + 3; s++) {
          const at = on.corner[s] * 3 + c;
          off += on.share[s] * shares[k][on.corner[s]] * (places[at] - own.rest[at]);
        }
        // Where the other has no such part it only follows: the skin's own movement stays in.
        if (has[k]) extra[v * 3 + c] -= off;
      }
    });
  }
  if (!rooted) {
    evenOut(all, rest, indices, ROUNDS);
    evenOut(extra, rest, indices, ROUNDS);
  }
  for (let v = 0; v < vertices; v++)
    for (let c = 0; c < 3; c++) {
      const at = (first + v) * 3 + c;
      let d = extra[v * 3 + c];
      others.forEach(({ places }, k) => {
        if (has[k]) d += all[v * 3 + k] * (places[at] - own.rest[at]);
      });
      moved[at] = d;
    }
  shares.forEach((share, k) => {
    if (has[k]) for (let v = 0; v < vertices; v++) share[first + v] = all[v * 3 + k];
  });
}
