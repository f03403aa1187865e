import { seededRandom } from './random.ts';

/** Points fixed on a surface by triangle and barycentric weights, so that they follow it through morphs and poses. */
export interface SurfaceSamples {
  /** Triangle of each sample. */
  triangle: Uint32Array;
  /** Two per sample: weights of the triangle's second and third corner. */
  barycentric: Float32Array;
}

/**
 * Area-weighted, stratified samples of a triangle mesh (Osada et al. 2002 for the square-root mapping).
 * Zero-area meshes give no samples.
 */
export function sampleSurface(
  positions: ArrayLike<number>,
  indices: ArrayLike<number>,
  count: number,
  seed: number,
): SurfaceSamples {
  const triangles = indices.length / 3;
  const cumulative = new Float64Array(triangles + 1);
  for (let t = 0; t < triangles; t++)
    cumulative[t + 1] = cumulative[t] + triangleArea(positions, indices[t * 3], indices[t * 3 + 1], indices[t * 3 + 2]);
  const total = cumulative[triangles];
  if (!(total > 0) || !Number.isFinite(total))
    return { triangle: new Uint32Array(0), barycentric: new Float32Array(0) };
  const random = seededRandom(seed);
  const triangle = new Uint32Array(count);
  const barycentric = new Float32Array(count * 2);
  let t = 0;
  for (let i = 0; i < count; i++) {
    const at = ((i + random()) / count) * total;
    while (t < triangles - 1 && cumulative[t + 1] <= at) t++;
    const root = Math.sqrt(random());
    const v = random();
    triangle[i] = t;
    barycentric[i * 2] = root * (1 - v);
    barycentric[i * 2 + 1] = root * v;
  }
  return { triangle, barycentric };
}

/** Positions of samples on a (deformed) surface, xyz per sample, written into `out`: doubles, so that a surface is at distance 0 from itself. */
export function samplePositions(
  out: Float64Array,
  positions: ArrayLike<number>,
  indices: ArrayLike<number>,
  samples: SurfaceSamples,
): Float64Array {
  for (let i = 0; i < samples.triangle.length; i++) {
    const t = samples.triangle[i] * 3;
    const v = samples.barycentric[i * 2],
      w = samples.barycentric[i * 2 + 1],
      u = 1 - v - w;
    const a = indices[t] * 3,
      b = indices[t + 1] * 3,
      c = indices[t + 2] * 3;
    for (let k = 0; k < 3; k++) out[i * 3 + k] = positions[a + k] * u + positions[b + k] * v + positions[c + k] * w;
  }
  return out;
}

export function triangleArea(p: ArrayLike<number>, ia: number, ib: number, ic: number): number {
  const a = ia * 3,
    b = ib * 3,
    c = ic * 3;
  const ux = p[b] - p[a],
    uy = p[b + 1] - p[a + 1],
    uz = p[b + 2] - p[a + 2];
  const vx = p[c] - p[a],
    vy = p[c + 1] - p[a + 1],
    vz = p[c + 2] - p[a + 2];
  const x = uy * vz - uz * vy,
    y = uz * vx - ux * vz,
    z = ux * vy - uy * vx;
  return Math.sqrt(x * x + y * y + z * z) / 2;
}
