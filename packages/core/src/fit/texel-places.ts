import { eachTexel, faceNormal } from '../geometry/index.ts';
import { type Mesh, meshOf, walkOver } from '../wrap/index.ts';
import type { Replaced } from './replaced.ts';

/** A stretch of surface that is laid out on a map. */
export interface LaidOut {
  positions: Float32Array;
  /** three per triangle */
  indices: Uint32Array;
  uv: Float32Array;
  /** Triangle of what was replaced under each vertex, −1 for none. */
  from: Float32Array;
}

/** For each texel of a map the place on what was replaced that it shows. */
export interface TexelPlaces {
  size: number;
  /** Triangle of what was replaced, −1 for none. */
  triangle: Int32Array;
  /** Shares of its corners 2 and 3. */
  share: Float32Array;
  /** Stretch and triangle of the new surface: number of the stretch × 2²⁴ + triangle. */
  own: Float64Array;
}

/** The old surface, ready to be looked up. */
export interface OldSurface {
  mesh: Mesh;
  /** Triangle of the mesh by number of what was replaced, −1 where it is none. */
  meshTriangle: Int32Array;
  walk: ReturnType<typeof walkOver>;
}

export function oldSurface({ positions, indices }: Pick<Replaced, 'positions' | 'indices'>): OldSurface {
  const mesh = meshOf(positions, indices),
    meshTriangle = new Int32Array(indices.length / 3).fill(-1);
  mesh.triangleOf.forEach((number, t) => {
    meshTriangle[number] = t;
  });
  return { mesh, meshTriangle, walk: walkOver(mesh) };
}

/** What the number of a stretch is multiplied by in {@link TexelPlaces.own}. */
export const STRETCH = 2 ** 24;

/**
 * Which place of the old surface each texel shows: that nearest to where the texel lies on the new one, found by walking there
 * from where the texel before it was. @param stop called now and then; may throw
 */
export function texelPlaces(
  stretches: readonly LaidOut[],
  { mesh, meshTriangle, walk }: OldSurface,
  size: number,
  stop: () => void = () => {},
): TexelPlaces {
  const out: TexelPlaces = {
      size,
      triangle: new Int32Array(size * size).fill(-1),
      share: new Float32Array(size * size * 2),
      own: new Float64Array(size * size),
    },
    place = new Float64Array(3),
    normal = new Float64Array(3);
  stretches.forEach(({ positions: p, indices, uv, from }, s) => {
    for (let t = 0; t < indices.length; t += 3) {
      if (t % 3072 === 0) stop();
      const a = indices[t],
        b = indices[t + 1],
        c = indices[t + 2],
        begin = Math.max(from[a], from[b], from[c]);
      let at = begin < 0 ? -1 : meshTriangle[begin];
      if (at < 0) continue;
      faceNormal(normal, p, a * 3, b * 3, c * 3);
      let row = -1,
        first = at;
      eachTexel(uv, a, b, c, size, (texel, la, lb, lc) => {
        for (let k = 0; k < 3; k++) place[k] = p[a * 3 + k] * la + p[b * 3 + k] * lb + p[c * 3 + k] * lc;
        // A row begins near where the one before it began, not where that ended.
        const begins = Math.floor(texel / size) !== row,
          hit = walk(begins ? first : at, place, 0, normal, 0);
        at = hit.triangle;
        if (begins) {
          row = Math.floor(texel / size);
          first = at;
        }
        out.triangle[texel] = mesh.triangleOf[at];
        out.share[texel * 2] = hit.v;
        out.share[texel * 2 + 1] = hit.w;
        out.own[texel] = s * STRETCH + t / 3;
      });
    }
  });
  return out;
}
