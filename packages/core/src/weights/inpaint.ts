import type { Laplacian } from '../geometry/index.ts';

/** Steps of the solver for one joint in one hole; what is left then is smooth already. */
const STEPS = 400,
  CLOSE = 1e-5;

/** Weights by point: joint → weight. */
export type Rows = (ReadonlyMap<number, number> | null)[];

/**
 * Fills the holes in weights that are known elsewhere on a surface: in each hole those that minimise
 * ½ wᵀ (L + L M⁻¹ L) w with the known ones held (Abdrashitov et al., "Robust Skin Weights Transfer via Weight
 * Inpainting", 2023), by conjugate gradients from the harmonic solution. Negative weights are cut off, sums made one.
 * @param rows weights of each point, null where unknown; filled in place
 * @returns points in holes that no known weight borders on; they stay unknown
 */
export function inpaintWeights(mesh: Laplacian, rows: Rows, stop: () => void = () => {}): number[] {
  const unreached: number[] = [];
  for (const hole of holesOf(mesh, rows)) {
    stop();
    const patch = patchOf(mesh, hole),
      joints = new Set<number>();
    for (let i = hole.length; i < patch.points.length; i++)
      for (const joint of rows[patch.points[i]]?.keys() ?? []) joints.add(joint);
    if (!joints.size) {
      unreached.push(...hole);
      continue;
    }
    const filled = hole.map(() => new Map<number, number>());
    for (const joint of [...joints].sort((a, b) => a - b)) {
      const known = Float64Array.from(patch.points, (point, i) =>
        i < hole.length ? 0 : (rows[point]?.get(joint) ?? 0),
      );
      solve(patch, hole.length, known).forEach((w, i) => {
        if (w > 1e-4) filled[i].set(joint, w);
      });
    }
    hole.forEach((point, i) => {
      const total = [...filled[i].values()].reduce((sum, w) => sum + w, 0);
      if (total > 0) {
        for (const [joint, w] of filled[i]) filled[i].set(joint, w / total);
        rows[point] = filled[i];
      } else unreached.push(point);
    });
  }
  return unreached;
}

/** Connected sets of points without weights. */
function holesOf({ points, start, neighbour }: Laplacian, rows: Rows): number[][] {
  const seen = new Uint8Array(points),
    out: number[][] = [];
  for (let first = 0; first < points; first++) {
    if (rows[first] || seen[first]) continue;
    const hole = [first];
    seen[first] = 1;
    for (let at = 0; at < hole.length; at++)
      for (let n = start[hole[at]]; n < start[hole[at] + 1]; n++) {
        const next = neighbour[n];
        if (!seen[next] && !rows[next]) {
          seen[next] = 1;
          hole.push(next);
        }
      }
    out.push(hole);
  }
  return out;
}

/** A hole with the two rings around it that its energy reaches, numbered anew: hole first. */
interface Patch {
  points: number[];
  start: Uint32Array;
  neighbour: Uint32Array;
  weight: Float64Array;
  sum: Float64Array;
  mass: Float64Array /** Points whose row of L is whole: hole and first ring. */;
  inner: number;
}

function patchOf(mesh: Laplacian, hole: readonly number[]): Patch {
  const points = [...hole],
    at = new Map(hole.map((point, i) => [point, i]));
  let from = 0,
    inner = points.length;
  for (let ring = 0; ring < 2; ring++) {
    const end = points.length;
    for (let i = from; i < end; i++)
      for (let n = mesh.start[points[i]]; n < mesh.start[points[i] + 1]; n++) {
        const next = mesh.neighbour[n];
        if (!at.has(next)) {
          at.set(next, points.length);
          points.push(next);
        }
      }
    from = end;
    if (ring === 0) inner = points.length;
  }
  const start = new Uint32Array(points.length + 1);
  for (let i = 0; i < inner; i++) start[i + 1] = mesh.start[points[i] + 1] - mesh.start[points[i]];
  for (let i = 0; i < points.length; i++) start[i + 1] += start[i];
  const neighbour = new Uint32Array(start[inner]),
    weight = new Float64Array(start[inner]),
    sum = new Float64Array(inner);
  for (let i = 0; i < inner; i++)
    for (let n = mesh.start[points[i]], k = start[i]; n < mesh.start[points[i] + 1]; n++, k++) {
      neighbour[k] = at.get(mesh.neighbour[n]) as number;
      weight[k] = mesh.weight[n];
      sum[i] += mesh.weight[n];
    }
  return {
    points,
    start,
    neighbour,
    weight,
    sum,
    mass: Float64Array.from(points.slice(0, inner), (point) => mesh.mass[point]),
    inner,
  };
}

/** out = Lx on the first `rows` points. */
function laplace({ start, neighbour, weight, sum }: Patch, rows: number, x: Float64Array, out: Float64Array): void {
  for (let i = 0; i < rows; i++) {
    let total = sum[i] * x[i];
    for (let n = start[i]; n < start[i + 1]; n++) total -= weight[n] * x[neighbour[n]];
    out[i] = total;
  }
}

function solve(patch: Patch, unknown: number, known: Float64Array): Float64Array {
  const { points, inner, mass, start, neighbour, weight, sum } = patch,
    once = new Float64Array(inner),
    full = new Float64Array(points.length),
    twice = new Float64Array(points.length);
  const harmonic = (x: Float64Array, out: Float64Array) => laplace(patch, unknown, x, out);
  const both = (x: Float64Array, out: Float64Array) => {
    laplace(patch, inner, x, once);
    for (let i = 0; i < inner; i++) twice[i] = once[i] / mass[i];
    laplace(patch, unknown, twice, out);
    for (let i = 0; i < unknown; i++) out[i] += once[i];
  };
  const diagonal = new Float64Array(unknown);
  for (let i = 0; i < unknown; i++) {
    let d = sum[i] + (sum[i] * sum[i]) / mass[i];
    for (let n = start[i]; n < start[i + 1]; n++)
      if (neighbour[n] < inner) d += (weight[n] * weight[n]) / mass[neighbour[n]];
    diagonal[i] = d || 1;
  }
  const x = new Float64Array(unknown);
  conjugate(harmonic, sum, known, unknown, x, full);
  conjugate(both, diagonal, known, unknown, x, full);
  return x;
}

/** Conjugate gradients with the diagonal as preconditioner (Shewchuk 1994), on the unknown points; `x` is start and result. */
function conjugate(
  apply: (x: Float64Array, out: Float64Array) => void,
  diagonal: Float64Array,
  known: Float64Array,
  unknown: number,
  x: Float64Array,
  full: Float64Array,
): void {
  const r = new Float64Array(unknown),
    z = new Float64Array(unknown),
    p = new Float64Array(unknown),
    q = new Float64Array(unknown);
  full.set(known);
  full.set(x);
  apply(full, r);
  for (let i = 0; i < unknown; i++) r[i] = -r[i];
  full.fill(0);
  let rz = 0;
  for (let i = 0; i < unknown; i++) {
    z[i] = r[i] / diagonal[i];
    p[i] = z[i];
    rz += r[i] * z[i];
  }
  // The first residue is measured against what the known weights alone would ask for.
  const enough = rz * CLOSE * CLOSE;
  for (let step = 0; step < STEPS && rz > enough && rz > 1e-24; step++) {
    full.set(p);
    apply(full, q);
    let pq = 0;
    for (let i = 0; i < unknown; i++) pq += p[i] * q[i];
    if (!(pq > 0)) break;
    const a = rz / pq;
    let next = 0;
    for (let i = 0; i < unknown; i++) {
      x[i] += a * p[i];
      r[i] -= a * q[i];
      z[i] = r[i] / diagonal[i];
      next += r[i] * z[i];
    }
    const b = next / rz;
    for (let i = 0; i < unknown; i++) p[i] = z[i] + b * p[i];
    rz = next;
  }
}
