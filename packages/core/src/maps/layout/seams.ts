import { weldByPlace } from '../../geometry/index.ts';

/** Places lie this far inside their triangles: a map's border bleeds. Share of the way to the opposite corner. */
const INSIDE = 0.3;
/** Texture places that are nearer to each other say nothing: every map is alike there. */
const NEAR = 0.02;
const SAME = 1e-4;
/** Pairs that are kept of a surface. */
export const MOST_SEAMS = 160;

/**
 * Where a surface is cut open to be laid flat: for edges whose two triangles lie apart on the map, the texture places just
 * beside the edge on either side, spread over all of the cut. A map that was painted for this layout shows nearly the same at both.
 * @param positions xyz per vertex @param uv two per vertex @param indices three per triangle
 * @returns u, v on one side and u, v on the other, four numbers a pair, each 0 … 1
 */
export function seamPlaces(
  positions: Float32Array,
  uv: Float32Array,
  indices: Uint32Array,
  most = MOST_SEAMS,
): Float32Array {
  const { points, pointOf } = weldByPlace(positions),
    { start, edges } = edgesByPoint(points, pointOf, indices),
    farther = (corner: number) => Math.max(pointOf[indices[corner]], pointOf[indices[following(corner)]]),
    found: number[] = [];
  for (let p = 0; p < points; p++) {
    // Edges between the same two points come to stand beside each other.
    const own = edges.subarray(start[p], start[p + 1]).sort((i, j) => farther(i) - farther(j) || i - j);
    for (let k = 0; k + 1 < own.length; k++) {
      const [before, i] = [own[k], own[k + 1]];
      if (farther(before) !== farther(i)) continue;
      k++;
      if (!isCut(uv, indices, pointOf, before, i)) continue;
      const here = beside(uv, indices, before),
        there = beside(uv, indices, i),
        isApart = around(here[0] - there[0]) > NEAR || around(here[1] - there[1]) > NEAR;
      if (isApart && [...here, ...there].every(Number.isFinite)) found.push(...here, ...there);
    }
  }
  const pairs = found.length / 4,
    kept = Math.min(most, pairs),
    out = new Float32Array(kept * 4);
  for (let k = 0; k < kept; k++) {
    const at = Math.floor((k * pairs) / kept) * 4;
    for (let c = 0; c < 4; c++) out[k * 4 + c] = found[at + c];
  }
  return out;
}

/** Corners where edges begin, by the first of the two points that each lies between: `edges` from `start[p]` to `start[p + 1]`. */
function edgesByPoint(points: number, pointOf: Uint32Array, indices: Uint32Array) {
  const start = new Uint32Array(points + 1),
    ends = (i: number) => [pointOf[indices[i]], pointOf[indices[following(i)]]] as const;
  for (let i = 0; i < indices.length; i++) {
    const [a, b] = ends(i);
    if (a !== b) start[Math.min(a, b) + 1]++;
  }
  for (let p = 0; p < points; p++) start[p + 1] += start[p];
  const next = start.slice(),
    edges = new Uint32Array(start[points]);
  for (let i = 0; i < indices.length; i++) {
    const [a, b] = ends(i);
    if (a !== b) edges[next[Math.min(a, b)]++] = i;
  }
  return { start, edges };
}

/** Whether two triangles that share an edge, which begins at a corner of each, lie apart on the map there. */
function isCut(uv: Float32Array, indices: Uint32Array, pointOf: Uint32Array, one: number, other: number): boolean {
  return [other, following(other)].some((corner) => {
    const v = indices[corner],
      same = [one, following(one)].find((mine) => pointOf[indices[mine]] === pointOf[v]);
    if (same === undefined) return false;
    const w = indices[same];
    return Math.abs(uv[v * 2] - uv[w * 2]) + Math.abs(uv[v * 2 + 1] - uv[w * 2 + 1]) > SAME;
  });
}

/** The next corner of the same triangle. */
const following = (corner: number): number => (corner % 3 === 2 ? corner - 2 : corner + 1);

/** The texture place beside the edge that begins at a corner, on its triangle. */
function beside(uv: Float32Array, indices: Uint32Array, corner: number): [number, number] {
  const a = indices[corner] * 2,
    b = indices[following(corner)] * 2,
    c = indices[following(following(corner))] * 2;
  return [0, 1].map((k) => {
    const middle = (uv[a + k] + uv[b + k]) / 2;
    return fraction(middle + INSIDE * (uv[c + k] - middle));
  }) as [number, number];
}

const fraction = (x: number): number => x - Math.floor(x);
/** How far apart two places of a map that repeats lie. */
const around = (x: number): number => Math.min(Math.abs(x), 1 - Math.abs(x));
