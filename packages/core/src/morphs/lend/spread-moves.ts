import type { Vec3 } from '../../geometry/index.ts';
import type { SkinMesh } from '../mix/skin-mesh.ts';

/** What is moved with a point: at least as far as this around it, metres, and in times of how far it is moved. */
const REACH = 0.006,
  SPREAD = 4;
/** Nearer than this a point has all of its own, metres. */
const NEAREST = 1e-4;

/**
 * Moves points of a skin, and those around them with the nearest ones, less and less with the way over the skin.
 * @param found how far each point goes, three lists by axis; added to
 */
export function spreadMoves(
  skin: SkinMesh,
  rest: Float32Array,
  moves: ReadonlyMap<number, Vec3>,
  found: readonly Float64Array[],
): void {
  const besides = besidesOf(skin),
    sum = new Map<number, { by: Vec3; weight: number; most: number }>();
  for (const [point, by] of moves) {
    const reach = Math.max(REACH, SPREAD * Math.hypot(...by));
    for (const [i, length] of waysFrom(point, reach, rest, skin, besides)) {
      const fall = (1 - (length / reach) ** 2) ** 2,
        weight = fall / (NEAREST + length) ** 2,
        known = sum.get(i) ?? { by: [0, 0, 0], weight: 0, most: 0 };
      for (let k = 0; k < 3; k++) known.by[k] += weight * by[k];
      known.weight += weight;
      known.most = Math.max(known.most, fall);
      sum.set(i, known);
    }
  }
  for (const [i, { by, weight, most }] of sum) for (let k = 0; k < 3; k++) found[k][i] += (by[k] / weight) * most;
}

/** Where an edge leads to from each point, as rows behind each other. */
interface Besides {
  start: Uint32Array;
  beside: Uint32Array;
}

function besidesOf({ points, from, to }: SkinMesh): Besides {
  const start = new Uint32Array(points + 1);
  for (let e = 0; e < from.length; e++) {
    start[from[e] + 1]++;
    start[to[e] + 1]++;
  }
  for (let i = 0; i < points; i++) start[i + 1] += start[i];
  const next = start.slice(),
    beside = new Uint32Array(from.length * 2);
  for (let e = 0; e < from.length; e++) {
    beside[next[from[e]]++] = to[e];
    beside[next[to[e]]++] = from[e];
  }
  return { start, beside };
}

/** Points within reach over the edges, with the way to them, metres. */
function waysFrom(
  point: number,
  reach: number,
  rest: Float32Array,
  { vertexOf }: SkinMesh,
  { start, beside }: Besides,
): Map<number, number> {
  const way = new Map([[point, 0]]);
  let front = [point];
  while (front.length) {
    const after: number[] = [];
    for (const i of front)
      for (let n = start[i]; n < start[i + 1]; n++) {
        const j = beside[n],
          [a, b] = [vertexOf[i] * 3, vertexOf[j] * 3],
          step = Math.hypot(rest[a] - rest[b], rest[a + 1] - rest[b + 1], rest[a + 2] - rest[b + 2]),
          length = (way.get(i) as number) + step;
        if (length >= reach || length >= (way.get(j) ?? Infinity)) continue;
        way.set(j, length);
        after.push(j);
      }
    front = after;
  }
  return way;
}
