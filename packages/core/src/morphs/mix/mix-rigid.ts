import type { Region } from '../body-regions.ts';
import type { OnSkin } from '../on-skin.ts';
import type { Sheet } from '../standing.ts';
import type { PreparedMix } from './prepare.ts';
import type { Moving } from './mix-worn.ts';

export interface RigidSheet {
  sheet: Sheet;
  on: OnSkin;
  /** Its place among the figure's. */
  index: number;
}

/** What goes together as a whole: an eyeball with its cornea, and all that is inside a mouth. */
const IN_MOUTH: readonly string[] = ['teeth', 'gums', 'tongue'];
const regionOf = (kind: string): Region => (IN_MOUTH.includes(kind) ? 'mouth' : 'eyes');

/**
 * Eyes, teeth and tongue: mixed within themselves by one weight each, so that a ball stays a ball, and moved as a whole
 * by what the fitting of the skin around them added on the mean.
 */
export function mixRigid(
  prepared: PreparedMix,
  sheets: readonly RigidSheet[],
  wanted: readonly ((region: Region) => number)[],
  { moved, shares }: Moving,
): void {
  const { own, others } = prepared,
    groups = new Map<string, { sum: number[]; count: number; vertices: number[]; w: number[] }>();
  for (const { sheet, on, index } of sheets) {
    const region = regionOf(sheet.part.kind),
      w = others.map(({ matches }, k) => (matches[index] ? wanted[k](region) : 0)),
      middle = middleOf(own.rest, sheet);
    for (let v = 0; v < sheet.vertices; v++) {
      const side = region === 'mouth' ? 0 : Math.sign(own.rest[(sheet.first + v) * 3] - middle),
        key = [region, side, ...w].join(),
        group = groups.get(key) ?? { sum: [0, 0, 0], count: 0, vertices: [], w };
      groups.set(key, group);
      group.vertices.push(sheet.first + v);
      if (on.corner[v * 3] < 0) continue;
      group.count++;
      for (let c = 0; c < 3; c++)
        for (let s = v * 3; s < v * 3 + 3; s++) {
          const at = on.corner[s] * 3 + c,
            plain = others.reduce((sum, { places }, k) => sum + w[k] * (places[at] - own.rest[at]), 0);
          group.sum[c] += on.share[s] * (moved[at] - plain);
        }
    }
  }
  for (const { sum, count, vertices, w } of groups.values())
    for (const vertex of vertices) {
      for (let c = 0; c < 3; c++) {
        const at = vertex * 3 + c;
        moved[at] = others.reduce(
          (d, { places }, k) => d + w[k] * (places[at] - own.rest[at]),
          count ? sum[c] / count : 0,
        );
      }
      shares.forEach((share, k) => {
        share[vertex] = w[k];
      });
    }
}

function middleOf(rest: Float32Array, { first, vertices }: Sheet): number {
  let low = Infinity,
    high = -Infinity;
  for (let v = first; v < first + vertices; v++) {
    if (rest[v * 3] < low) low = rest[v * 3];
    if (rest[v * 3] > high) high = rest[v * 3];
  }
  return (low + high) / 2;
}
