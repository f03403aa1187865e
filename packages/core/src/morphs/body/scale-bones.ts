import { influencesOf, jointPosition, type Skeleton } from '../../character/index.ts';
import type { PreparedFigure } from '../mix/prepare.ts';
import type { Person } from '../mix/people.ts';
import { goAlong } from '../mix/go-along.ts';
import { type BodyScale, boneMaps, jointsTo } from './bone-maps.ts';

export interface Scaled {
  /** How far vertices and joints go, xyz, metres. */
  moved: Float32Array;
  shifts: Float64Array;
  /** What directions become at every vertex: nine numbers, row by row. */
  linear: Float32Array;
}

/**
 * Draws a body out along its bones: each bone's own linear map Sⱼ = c I + (a − c) d dᵀ along its direction d, each joint where
 * the map of the one above puts it, and the mesh by its weights, Σ wⱼ (p′ⱼ + Sⱼ (v − pⱼ)). The lowest point stays on the floor.
 */
export function scaleBones(figure: PreparedFigure, scale: BodyScale): Scaled {
  const { own } = figure,
    { skeleton } = own,
    maps = boneMaps(own, scale),
    to = jointsTo(skeleton, maps),
    moved = new Float32Array(own.rest.length),
    linear = new Float32Array((own.rest.length / 3) * 9),
    follows = own.sheets.map((sheet, i) => {
      const skin = sheet.part.node.getSkin(),
        influences = skin && influencesOf(sheet.part.prim);
      if (skin && influences) {
        const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
        blend(own, sheet, { at, ...influences }, { maps, to }, moved, linear);
        return true;
      }
      const above = jointAbove(skeleton, own, i);
      if (above >= 0)
        blend(
          own,
          sheet,
          {
            at: [above],
            perVertex: 1,
            joints: new Uint16Array(sheet.vertices),
            weights: new Float32Array(sheet.vertices).fill(1),
          },
          { maps, to },
          moved,
          linear,
        );
      return above >= 0;
    });
  goAlong(figure, moved, (i) => follows[i]);
  const off = lowestOf(own.rest) - lowestOf(own.rest.map((value, k) => value + moved[k]));
  for (let k = 1; k < moved.length; k += 3) moved[k] += off;
  const shifts = Float64Array.from(
    to,
    (value, k) => value - jointPosition(skeleton, Math.floor(k / 3))[k % 3] + (k % 3 === 1 ? off : 0),
  );
  return { moved, shifts, linear };
}

const lowestOf = (points: Float32Array): number => {
  let low = Infinity;
  for (let k = 1; k < points.length; k += 3) if (points[k] < low) low = points[k];
  return low;
};

function jointAbove(skeleton: Skeleton, own: Person, i: number): number {
  for (let at = own.sheets[i].part.node.getParentNode(); at; at = at.getParentNode()) {
    const j = skeleton.index.get(at);
    if (j !== undefined) return j;
  }
  return -1;
}

function blend(
  { rest, skeleton }: Person,
  { first, vertices }: Person['sheets'][number],
  {
    at,
    perVertex,
    joints,
    weights,
  }: { at: readonly number[]; perVertex: number; joints: ArrayLike<number>; weights: Float32Array },
  { maps, to }: { maps: Float64Array; to: Float64Array },
  moved: Float32Array,
  linear: Float32Array,
): void {
  const sum = new Float64Array(3),
    map = new Float64Array(9);
  for (let v = 0; v < vertices; v++) {
    const o = (first + v) * 3;
    let total = 0;
    sum.fill(0);
    map.fill(0);
    for (let s = v * perVertex; s < (v + 1) * perVertex; s++) {
      const w = weights[s],
        j = at[joints[s]];
      if (!w) continue;
      total += w;
      for (let k = 0; k < 9; k++) map[k] += w * maps[j * 9 + k];
      for (let r = 0; r < 3; r++) {
        let value = to[j * 3 + r];
        for (let k = 0; k < 3; k++) value += maps[j * 9 + r * 3 + k] * (rest[o + k] - skeleton.global[j * 16 + 12 + k]);
        sum[r] += w * value;
      }
    }
    if (!(total > 0)) {
      for (let k = 0; k < 3; k++) linear[(first + v) * 9 + k * 4] = 1;
      continue;
    }
    for (let r = 0; r < 3; r++) moved[o + r] = sum[r] / total - rest[o + r];
    for (let k = 0; k < 9; k++) linear[(first + v) * 9 + k] = map[k] / total;
  }
}
