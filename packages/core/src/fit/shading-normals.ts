import { vertexNormals } from '../geometry/index.ts';
import type { Correspondence, Skin, Wrapped } from '../wrap/index.ts';
import type { Replaced } from './replaced.ts';

/** What lies further off the other surface takes nothing of its directions, metres. */
const NEAR = 0.002;

/**
 * Unit normals of the body's points: those of the character where they lie on it, so that it is shaded as it was; of their own
 * surface where they don't.
 */
export function shadingNormals(
  { mesh }: Pick<Skin, 'mesh'>,
  { places, trust }: Pick<Wrapped, 'places' | 'trust'>,
  other: Pick<Skin, 'mesh'>,
  at: Correspondence,
  { normals, indices }: Pick<Replaced, 'normals' | 'indices'>,
): Float32Array {
  const out = vertexNormals(places, mesh.corners);
  for (let p = 0; p < mesh.points; p++) {
    const triangle = at.triangle[p],
      believed = triangle < 0 ? 0 : trust[p] * Math.max(0, 1 - at.far[p] / NEAR);
    if (!(believed > 0)) continue;
    const corner = other.mesh.triangleOf[triangle] * 3,
      shares = [1 - at.share[p * 2] - at.share[p * 2 + 1], at.share[p * 2], at.share[p * 2 + 1]],
      theirs = [0, 1, 2].map((k) =>
        shares.reduce((sum, share, c) => sum + share * normals[indices[corner + c] * 3 + k], 0),
      );
    // One that looks away is another surface's.
    if (!(theirs[0] * out[p * 3] + theirs[1] * out[p * 3 + 1] + theirs[2] * out[p * 3 + 2] > 0)) continue;
    const mixed = theirs.map((x, k) => x * believed + out[p * 3 + k] * (1 - believed)),
      l = Math.hypot(...mixed) || 1;
    out.set(
      mixed.map((x) => x / l),
      p * 3,
    );
  }
  return out;
}
