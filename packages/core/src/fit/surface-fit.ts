import { faceNormal, TriangleTree } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';
import { trustOf } from './openness.ts';
import type { Wrapped } from './wrap.ts';

interface Distances {
  /** metres */
  rms: number;
  most99: number;
}
export interface SurfaceFit {
  /** From points of the new surface that lie outside to the old one. */
  there: Distances;
  /** From points of the old surface that lie outside to the new one. */
  back: Distances;
  /** Faces turned over against how limbs alone had laid them, where they lie outside. */
  turned: number;
}

/** How closely one surface came to lie on another, both ways; what lies inside doesn't count. */
export function surfaceFit(mesh: Mesh, { places, aligned, trust, open }: Wrapped, other: Mesh): SurfaceFit {
  const seen = (value: ArrayLike<number>) => (p: number) => value[p] > 0.5;
  return {
    there: distances(places, mesh.points, seen(trust), other),
    back: distances(other.places, other.points, (p) => trustOf(open[p]) > 0.5, { ...mesh, places }),
    turned: turnedFaces(mesh.corners, places, aligned, trust),
  };
}

function distances(
  points: Float32Array,
  count: number,
  counts: (p: number) => boolean,
  { places, corners }: Pick<Mesh, 'places' | 'corners'>,
): Distances {
  const tree = new TriangleTree(places, corners),
    all: number[] = [];
  for (let p = 0; p < count; p++)
    if (counts(p)) all.push(tree.closest(points[p * 3], points[p * 3 + 1], points[p * 3 + 2]));
  const sorted = Float64Array.from(all).sort();
  return {
    rms: Math.sqrt(sorted.reduce((sum, d) => sum + d * d, 0) / Math.max(1, sorted.length)),
    most99: sorted[Math.floor(0.99 * (sorted.length - 1))] ?? 0,
  };
}

function turnedFaces(
  corners: Uint32Array,
  places: Float32Array,
  before: Float32Array,
  trust: ArrayLike<number>,
): number {
  const now = new Float64Array(3),
    then = new Float64Array(3);
  let turned = 0;
  for (let t = 0; t < corners.length; t += 3) {
    if (trust[corners[t]] + trust[corners[t + 1]] + trust[corners[t + 2]] < 1.5) continue;
    const a = corners[t] * 3,
      b = corners[t + 1] * 3,
      c = corners[t + 2] * 3;
    faceNormal(now, places, a, b, c);
    faceNormal(then, before, a, b, c);
    if (now[0] * then[0] + now[1] * then[1] + now[2] * then[2] < 0) turned++;
  }
  return turned;
}
