import { TriangleTree } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';
import { trustOf } from './openness.ts';
import { turnedFaces } from './turned-faces.ts';
import type { Wrapped } from './wrap.ts';

interface Distances {
  /** metres */
  rms: number;
  most99: number;
  /** Points that lie so far off that nothing corresponds to them; they count in neither. */
  without: number;
}
/** Beyond this, metres, something is there on one of the two alone: the stump of a neck under a head. */
const COUNTERPART = 0.01;
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
    turned: turnedFaces(mesh.corners, places, aligned).filter(
      (t) => trust[mesh.corners[t]] + trust[mesh.corners[t + 1]] + trust[mesh.corners[t + 2]] > 1.5,
    ).length,
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
  let without = 0;
  for (let p = 0; p < count; p++) {
    if (!counts(p)) continue;
    const far = tree.closest(points[p * 3], points[p * 3 + 1], points[p * 3 + 2]);
    if (far < COUNTERPART) all.push(far);
    else without++;
  }
  const sorted = Float64Array.from(all).sort();
  return {
    rms: Math.sqrt(sorted.reduce((sum, d) => sum + d * d, 0) / Math.max(1, sorted.length)),
    most99: sorted[Math.floor(0.99 * (sorted.length - 1))] ?? 0,
    without,
  };
}
