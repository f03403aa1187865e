import { type Eyeball, eyeballs, trianglesOf } from '../character/index.ts';
import { TriangleTree, vertexNormals, weldByPlace } from '../geometry/index.ts';
import type { Sheet, Standing } from './standing.ts';
import { combined, setStencil, type Stencils } from './stencil.ts';
import { goWithRoots } from './strand-roots.ts';

/** The skin of a figure as one surface at rest; vertices are the figure's. */
export interface Ground {
  indices: Uint32Array;
  tree: TriangleTree;
  /** Unit normals at rest, by vertex of the figure. */
  normals: Float32Array;
  /** What its lids lie on. */
  balls: readonly Eyeball[];
  /** Unit normals of the same skin with its vertices elsewhere. */
  normalsAt(positions: Float32Array): Float32Array;
}

export function groundOf({ deformer, rest }: Standing, skin: readonly Sheet[]): Ground {
  const indices = Uint32Array.from(
      skin.flatMap(({ part, first }) => Array.from(trianglesOf(part.prim), (v) => v + first)),
    ),
    { pointOf } = weldByPlace(rest),
    normalsAt = (positions: Float32Array) => weldedNormals(positions, indices, pointOf);
  return {
    indices,
    tree: new TriangleTree(rest, indices),
    balls: eyeballs(deformer, rest),
    normals: normalsAt(rest),
    normalsAt,
  };
}

/** Normals that don't break where texture coordinates do. */
function weldedNormals(positions: Float32Array, indices: Uint32Array, pointOf: Uint32Array): Float32Array {
  const sum = new Float64Array(positions.length),
    own = vertexNormals(positions, indices),
    out = new Float32Array(positions.length);
  for (const v of new Set(indices)) for (let k = 0; k < 3; k++) sum[pointOf[v] * 3 + k] += own[v * 3 + k];
  for (let v = 0; v < pointOf.length; v++) {
    const o = pointOf[v] * 3,
      l = Math.hypot(sum[o], sum[o + 1], sum[o + 2]) || 1;
    for (let k = 0; k < 3; k++) out[v * 3 + k] = sum[o + k] / l;
  }
  return out;
}

/** Where each vertex of a part stands over the skin. */
export interface OnSkin extends Stencils {
  /** How much of the skin's movement it takes, 0 … 1. */
  takes: Float32Array;
  /** Height over the skin along its normal, metres. */
  height: Float32Array;
}

/** Share of the reach from which a vertex takes less and less. */
const FADES = 0.6;

/**
 * @param reach as far from the skin as a vertex goes along, metres
 * @param rooted what stands off goes with the nearest vertex of its piece that sits on the skin
 */
export function placeOnSkin(
  { part, first, vertices }: Sheet,
  { rest }: Standing,
  { tree, indices, normals }: Ground,
  reach: number,
  rooted: boolean,
): OnSkin {
  const away = new Float32Array(vertices).fill(Infinity),
    on: OnSkin = {
      corner: new Int32Array(vertices * 3).fill(-1),
      share: new Float32Array(vertices * 3),
      takes: new Float32Array(vertices),
      height: new Float32Array(vertices),
    };
  for (let v = 0; v < vertices; v++) {
    const o = (first + v) * 3,
      d = tree.closest(rest[o], rest[o + 1], rest[o + 2], -1);
    if (!(d < reach)) continue;
    const { triangle, v: second, w: third } = tree.hit,
      t = triangle * 3,
      fade = Math.min(1, (reach - d) / (reach * (1 - FADES)));
    away[v] = d;
    on.takes[v] = fade * fade * (3 - 2 * fade);
    setStencil(on, v, [indices[t], indices[t + 1], indices[t + 2]], second, third);
  }
  if (rooted) goWithRoots(on, away, part, rest.subarray(first * 3, (first + vertices) * 3));
  const point = new Float64Array(3),
    normal = new Float64Array(3);
  for (let v = 0; v < vertices; v++) {
    if (on.corner[v * 3] < 0) continue;
    combined(point, on, v, rest);
    combined(normal, on, v, normals);
    for (let k = 0; k < 3; k++) on.height[v] += (rest[(first + v) * 3 + k] - point[k]) * normal[k];
  }
  return on;
}
