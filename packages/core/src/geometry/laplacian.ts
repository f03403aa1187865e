/**
 * Cotangent of a triangle's corner c between a and b; obtuse ones count as right, slivers as steep as {@link STEEPEST}.
 * @param p xyz per vertex
 */
export function cotangentAt(p: ArrayLike<number>, a: number, b: number, c: number): number {
  const ux = p[a * 3] - p[c * 3],
    uy = p[a * 3 + 1] - p[c * 3 + 1],
    uz = p[a * 3 + 2] - p[c * 3 + 2],
    vx = p[b * 3] - p[c * 3],
    vy = p[b * 3 + 1] - p[c * 3 + 1],
    vz = p[b * 3 + 2] - p[c * 3 + 2],
    area = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
  return area > 0 ? Math.max(0, Math.min(STEEPEST, (ux * vx + uy * vy + uz * vz) / area)) : 0;
}

/** Cotangent Laplacian of a triangle surface, as rows of neighbours behind each other. */
export interface Laplacian {
  /** Points: places that differ; corners at one place are one point. */
  points: number;
  /** Point of each vertex. */
  pointOf: Uint32Array;
  /** Neighbours of point i stand at `start[i]` … `start[i + 1]` of `neighbour`, with their weights. */
  start: Uint32Array;
  neighbour: Uint32Array;
  /** (Lx)ᵢ = Σ wᵢⱼ (xᵢ − xⱼ), dimensionless. */
  weight: Float64Array;
  /** A third of the area around each point, square metres; never nothing. */
  mass: Float64Array;
}

/** Places nearer than this are one, metres. */
const SAME = 1e-6;
/** A cotangent beyond this belongs to a sliver, whose word would drown all others. */
const STEEPEST = 20;

/** Points of a surface: vertices at the same place, as at the seams of texture coordinates, count once. */
export function weldByPlace(positions: ArrayLike<number>): { points: number; pointOf: Uint32Array } {
  const pointOf = new Uint32Array(positions.length / 3),
    known = new Map<string, number>();
  for (let v = 0; v < pointOf.length; v++) {
    const key = `${Math.round(positions[v * 3] / SAME)},${Math.round(positions[v * 3 + 1] / SAME)},${Math.round(positions[v * 3 + 2] / SAME)}`;
    let point = known.get(key);
    if (point === undefined) {
      point = known.size;
      known.set(key, point);
    }
    pointOf[v] = point;
  }
  return { points: known.size, pointOf };
}

/**
 * Cotangent Laplacian with barycentric masses (Pinkall & Polthier 1993; Meyer et al. 2003). Obtuse corners count as
 * right ones, so that no weight is below nothing and a mean of neighbours stays between them.
 * @param positions xyz per vertex, metres
 * @param indices three per triangle
 */
export function cotangentLaplacian(positions: ArrayLike<number>, indices: ArrayLike<number>): Laplacian {
  const { points, pointOf } = weldByPlace(positions),
    mass = new Float64Array(points).fill(1e-12),
    edges = new Map<number, number>();
  const across = (a: number, b: number, c: number) => {
    const ux = positions[a * 3] - positions[c * 3],
      uy = positions[a * 3 + 1] - positions[c * 3 + 1],
      uz = positions[a * 3 + 2] - positions[c * 3 + 2];
    const vx = positions[b * 3] - positions[c * 3],
      vy = positions[b * 3 + 1] - positions[c * 3 + 1],
      vz = positions[b * 3 + 2] - positions[c * 3 + 2];
    const dot = ux * vx + uy * vy + uz * vz,
      area = Math.hypot(uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx);
    const i = pointOf[a],
      j = pointOf[b];
    // A corner without area says nothing, but its edge stays an edge.
    if (i !== j) {
      const key = Math.min(i, j) * points + Math.max(i, j);
      edges.set(key, (edges.get(key) ?? 1e-6) + 0.5 * Math.max(0, Math.min(STEEPEST, area > 0 ? dot / area : 0)));
    }
    return area;
  };
  for (let t = 0; t + 2 < indices.length; t += 3) {
    const a = indices[t],
      b = indices[t + 1],
      c = indices[t + 2],
      area = across(a, b, c) / 6;
    across(b, c, a);
    across(c, a, b);
    mass[pointOf[a]] += area;
    mass[pointOf[b]] += area;
    mass[pointOf[c]] += area;
  }
  const start = new Uint32Array(points + 1);
  for (const key of edges.keys()) {
    start[Math.floor(key / points) + 1]++;
    start[(key % points) + 1]++;
  }
  for (let i = 0; i < points; i++) start[i + 1] += start[i];
  const at = start.slice(),
    neighbour = new Uint32Array(edges.size * 2),
    weight = new Float64Array(edges.size * 2);
  for (const [key, w] of edges) {
    const i = Math.floor(key / points),
      j = key % points;
    neighbour[at[i]] = j;
    weight[at[i]++] = w;
    neighbour[at[j]] = i;
    weight[at[j]++] = w;
  }
  return { points, pointOf, start, neighbour, weight, mass };
}
