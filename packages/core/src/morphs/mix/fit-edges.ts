import { REGIONS } from '../body-regions.ts';
import type { PreparedMix } from './prepare.ts';

/**
 * How far points of the skin go beyond plain mixing, so that edges are what the mix wants of them: least squares
 * Σ cot (xᵢ − xⱼ − dᵢⱼ)², which leaves each axis one number free. Up and down the lowest points keep what plain mixing gives
 * them, sideways the trunk does. @param w share of each other figure by point
 */
export function fitEdges(
  prepared: PreparedMix,
  w: readonly Float64Array[],
  stop: () => void,
): { off: Float64Array[]; strain: number } {
  const { skin } = prepared,
    off = [0, 1, 2].map(() => new Float64Array(skin.points));
  if (w.every((of) => of.every((value) => value === of[0]))) return { off, strain: 0 };
  const missing = off.map((_, c) => missedBy(prepared, w, c)),
    held = [heldBy(prepared, inTrunk), heldBy(prepared, atTheFloor)];
  for (let c = 0; c < 3; c++) {
    const b = off[c];
    for (let e = 0; e < skin.from.length; e++) {
      b[skin.from[e]] += skin.weight[e] * missing[c][e];
      b[skin.to[e]] -= skin.weight[e] * missing[c][e];
    }
    prepared.fit().solve(b);
    const points = held[c % 2],
      mean = points.reduce((sum, i) => sum + b[i], 0) / points.length;
    for (let i = 0; i < b.length; i++) b[i] -= mean;
    stop();
  }
  return { off, strain: worstStrain(prepared, off, missing) };
}

/** What plain mixing leaves edges to miss of one axis: the mean of both ends' shares times the edge, against the shares' own. */
function missedBy({ own, others, skin }: PreparedMix, w: readonly Float64Array[], c: number): Float64Array {
  const out = new Float64Array(skin.from.length);
  others.forEach(({ places }, k) => {
    for (let e = 0; e < out.length; e++) {
      const [i, j] = [skin.from[e], skin.to[e]],
        [u, v] = [skin.vertexOf[i] * 3 + c, skin.vertexOf[j] * 3 + c];
      // ½(wᵢ + wⱼ)(aᵢ − aⱼ) − (wᵢ aᵢ − wⱼ aⱼ), a being how far the other is away.
      out[e] -= ((w[k][i] - w[k][j]) / 2) * (places[u] - own.rest[u] + places[v] - own.rest[v]);
    }
  });
  return out;
}

/** Share of a figure's height that stands on the floor. */
const SOLE = 0.03;
const atTheFloor = ({ own }: PreparedMix) => {
  let low = Infinity,
    high = -Infinity;
  for (let i = 1; i < own.rest.length; i += 3) {
    if (own.rest[i] < low) low = own.rest[i];
    if (own.rest[i] > high) high = own.rest[i];
  }
  return (vertex: number) => own.rest[vertex * 3 + 1] < low + (high - low) * SOLE;
};
const inTrunk =
  ({ regions }: PreparedMix) =>
  (vertex: number) =>
    REGIONS[regions[vertex]] === 'torso';

/** Points of the skin that hold a figure in its place; the lowest where there are none, as with skin that ends above the shoes. */
function heldBy(prepared: PreparedMix, rule: (prepared: PreparedMix) => (vertex: number) => boolean): number[] {
  const { skin, own } = prepared,
    holds = rule(prepared),
    points = Array.from({ length: skin.points }, (_, i) => i),
    found = points.filter((i) => holds(skin.vertexOf[i]));
  if (found.length) return found;
  const height = (i: number) => own.rest[skin.vertexOf[i] * 3 + 1];
  return points.sort((a, b) => height(a) - height(b) || a - b).slice(0, Math.max(1, Math.ceil(points.length / 20)));
}

/** By how much the edges around a point miss what is wanted of them, share of their length, where that is most. */
function worstStrain(
  { own, skin }: PreparedMix,
  off: readonly Float64Array[],
  missing: readonly Float64Array[],
): number {
  const miss = new Float64Array(skin.points),
    length = new Float64Array(skin.points);
  for (let e = 0; e < skin.from.length; e++) {
    const [i, j] = [skin.from[e], skin.to[e]],
      [u, v] = [skin.vertexOf[i] * 3, skin.vertexOf[j] * 3];
    let d = 0,
      l = 0;
    for (let c = 0; c < 3; c++) {
      d += (off[c][i] - off[c][j] - missing[c][e]) ** 2;
      l += (own.rest[u + c] - own.rest[v + c]) ** 2;
    }
    for (const point of [i, j]) {
      miss[point] += skin.weight[e] * Math.sqrt(d);
      length[point] += skin.weight[e] * Math.sqrt(l);
    }
  }
  return miss.reduce((most, value, i) => (length[i] > 0 && value / length[i] > most ? value / length[i] : most), 0);
}
