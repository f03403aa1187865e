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
    /** Edge → triangle corner where it was met first; −1 once it was met twice. */
    met = new Map<number, number>(),
    found: [number, number, number, number][] = [];
  for (let i = 0; i < indices.length; i++) {
    const a = pointOf[indices[i]],
      b = pointOf[indices[following(i)]];
    if (a === b) continue;
    const key = Math.min(a, b) * points + Math.max(a, b),
      before = met.get(key);
    if (before === undefined) {
      met.set(key, i);
      continue;
    }
    if (before < 0) continue;
    met.set(key, -1);
    const isCut = [i, following(i)].some((corner) => {
      const v = indices[corner],
        other = [before, following(before)].find((one) => pointOf[indices[one]] === pointOf[v]);
      return (
        other !== undefined &&
        Math.abs(uv[v * 2] - uv[indices[other] * 2]) + Math.abs(uv[v * 2 + 1] - uv[indices[other] * 2 + 1]) > SAME
      );
    });
    if (!isCut) continue;
    const here = beside(uv, indices, before),
      there = beside(uv, indices, i);
    if (around(here[0] - there[0]) > NEAR || around(here[1] - there[1]) > NEAR) found.push([...here, ...there]);
  }
  const kept = Math.min(most, found.length);
  return Float32Array.from(Array.from({ length: kept }, (_, k) => found[Math.floor((k * found.length) / kept)]).flat());
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
