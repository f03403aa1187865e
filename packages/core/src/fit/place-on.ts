import * as v from 'valibot';
import { TriangleTree } from '../geometry/index.ts';

const coordinate = v.pipe(v.number(), v.minValue(-1000), v.maxValue(1000));
/**
 * A place on a surface by its texture place, which stays when vertices are numbered anew or moved; `at` (metres, at rest) tells
 * apart places that share it, and stands alone where there are no texture coordinates.
 */
export const PlaceSchema = v.object({
  part: v.pipe(v.string(), v.maxLength(200)),
  uv: v.optional(v.tuple([coordinate, coordinate])),
  at: v.tuple([coordinate, coordinate, coordinate]),
});
export type PlaceOn = v.InferOutput<typeof PlaceSchema>;

/** A surface that places are looked for on. */
export interface Placeable {
  /** xyz per vertex */
  positions: Float32Array;
  /** Three per triangle, over all vertices. */
  indices: Uint32Array;
  parts: readonly {
    name: string;
    firstVertex: number;
    firstTriangle: number;
    triangles: number;
    /** Texture coordinates of its vertices, two each. */
    uv: Float32Array | null;
  }[];
}

export interface FoundOn {
  triangle: number;
  /** Shares of the corners 1, 2 and 3. */
  shares: [number, number, number];
  at: [number, number, number];
}

/** How far outside a triangle a texture place may lie and count as in it: shares of its corners. */
const EDGE = 1e-4;
/** How far from where it should be a place without texture coordinates is looked for, metres. */
const NEAR = 0.1;

/** Where on a surface a place is; null where it isn't there. */
export function whereOn(surface: Placeable, { part, uv, at }: PlaceOn): FoundOn | null {
  if (uv) {
    const found = surface.parts.map((one) => ({ name: one.name, places: withTexturePlace(surface, one, uv) })),
      own = found.find(({ name }) => name === part)?.places,
      places = own?.length ? own : found.flatMap((one) => one.places),
      far = ({ at: here }: FoundOn) => Math.hypot(here[0] - at[0], here[1] - at[1], here[2] - at[2]);
    if (places.length) return places.reduce((best, one) => (far(one) < far(best) ? one : best));
  }
  const tree = new TriangleTree(surface.positions, surface.indices);
  if (!(tree.closest(...at) < NEAR)) return null;
  const { triangle, v: second, w: third } = tree.hit;
  return foundOn(surface, triangle, [1 - second - third, second, third]);
}

function foundOn({ positions, indices }: Placeable, triangle: number, shares: FoundOn['shares']): FoundOn {
  const at: FoundOn['at'] = [0, 0, 0];
  shares.forEach((share, c) => {
    for (let k = 0; k < 3; k++) at[k] += share * positions[indices[triangle * 3 + c] * 3 + k];
  });
  return { triangle, shares, at };
}

/** Every place of a part that lies at a texture place, whatever tile it is in. */
function withTexturePlace(
  surface: Placeable,
  { firstVertex, firstTriangle, triangles, uv }: Placeable['parts'][number],
  [u, v]: readonly [number, number],
): FoundOn[] {
  const out: FoundOn[] = [];
  if (!uv) return out;
  for (let t = firstTriangle; t < firstTriangle + triangles; t++) {
    const corner = (c: number, k: number) => uv[(surface.indices[t * 3 + c] - firstVertex) * 2 + k],
      middle = [0, 1].map((k) => Math.floor((corner(0, k) + corner(1, k) + corner(2, k)) / 3)),
      x = u - Math.floor(u) + middle[0] - corner(0, 0),
      y = v - Math.floor(v) + middle[1] - corner(0, 1),
      ax = corner(1, 0) - corner(0, 0),
      ay = corner(1, 1) - corner(0, 1),
      bx = corner(2, 0) - corner(0, 0),
      by = corner(2, 1) - corner(0, 1),
      area = ax * by - ay * bx;
    if (area === 0) continue;
    const second = (x * by - y * bx) / area,
      third = (ax * y - ay * x) / area;
    if (second < -EDGE || third < -EDGE || second + third > 1 + EDGE) continue;
    out.push(foundOn(surface, t, [1 - second - third, second, third]));
  }
  return out;
}
