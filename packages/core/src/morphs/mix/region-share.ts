import type { Document } from '@gltf-transform/core';
import { REGIONS, type Region } from '../body-regions.ts';
import { prepareFigure } from './prepare.ts';
import { ownPerson } from './people.ts';
import { spreadWeights } from './spread.ts';

/**
 * How much every vertex belongs to some regions, 0 … 1, softly over their borders; what is no skin as much as the skin below.
 * @returns by vertex of the figure at rest
 */
export function regionShare(document: Document, regions: readonly Region[]): Float32Array {
  const figure = prepareFigure(ownPerson(document)),
    { own, skin, regionOf } = figure,
    given = Float64Array.from(regionOf, (region) => (regions.includes(REGIONS[region]) ? 1 : 0)),
    w = spreadWeights(skin, given, () => figure.flow(1)),
    out = Float32Array.from(skin.pointOf, (point) => (point < 0 ? 0 : w[point]));
  own.sheets.forEach(({ first, vertices }, i) => {
    const on = figure.on[i];
    if (!on) return;
    for (let v = 0; v < vertices; v++) {
      let sum = 0;
      for (let s = v * 3; s < v * 3 + 3; s++) {
        const point = on.corner[s] < 0 ? -1 : skin.pointOf[on.corner[s]];
        if (point >= 0) sum += on.share[s] * w[point];
      }
      out[first + v] = sum;
    }
  });
  return out;
}
