import { bendVertex, type Influences } from '../character/index.ts';
import type { Bending } from './bending.ts';

/** Pull towards the weights there were, in parts of the normal matrix's diagonal: decides what the poses leave open. */
const PULL = 1e-4;

/**
 * Least-squares repair after influences were dropped: for every vertex of `bending`, new weights for the joints it
 * keeps in `after`, such that it comes nearest to where `before` puts it over all poses, with weights that are not
 * negative and sum to one (as in James & Twigg 2005, per vertex, negative weights taken out one by one). A vertex
 * whose error doesn't fall keeps its weights. Writes into `after`.
 * @returns vertices that were changed
 */
export function refitWeights(bending: Bending, before: Influences, after: Influences): number {
  const { positions, vertices, poses } = bending;
  const wanted = new Float64Array(poses.length * 3);
  const point = new Float64Array(3);
  let changed = 0;
  for (const vertex of vertices) {
    poses.forEach((matrices, p) => {
      bendVertex(point, matrices, before, vertex, positions);
      wanted.set(point, p * 3);
    });
    const slots: number[] = [];
    for (let k = vertex * after.perVertex; k < (vertex + 1) * after.perVertex; k++)
      if (after.weights[k] > 0) slots.push(k);
    if (slots.length < 2) continue;
    const carried = slots.map((k) => carriedBy(poses, after.joints[k], positions, vertex));
    const old = slots.map((k) => after.weights[k]);
    const fitted = solve(carried, wanted, old);
    if (!fitted || errorOf(carried, wanted, fitted) >= errorOf(carried, wanted, old)) continue;
    slots.forEach((k, i) => {
      after.weights[k] = fitted[i];
    });
    changed++;
  }
  return changed;
}

/** Where one joint alone would put the vertex in each pose, xyz per pose. */
function carriedBy(
  poses: readonly Float64Array[],
  joint: number,
  positions: Float32Array,
  vertex: number,
): Float64Array {
  const out = new Float64Array(poses.length * 3);
  const x = positions[vertex * 3],
    y = positions[vertex * 3 + 1],
    z = positions[vertex * 3 + 2],
    m = joint * 16;
  poses.forEach((matrices, p) => {
    for (let k = 0; k < 3; k++)
      out[p * 3 + k] = matrices[m + k] * x + matrices[m + 4 + k] * y + matrices[m + 8 + k] * z + matrices[m + 12 + k];
  });
  return out;
}

function errorOf(carried: readonly Float64Array[], wanted: Float64Array, weights: readonly number[]): number {
  let sum = 0;
  for (let i = 0; i < wanted.length; i++) {
    let off = -wanted[i];
    for (let j = 0; j < carried.length; j++) off += weights[j] * carried[j][i];
    sum += off * off;
  }
  return sum;
}

/** Weights that sum to one, none negative; joints that would go negative are set to nothing, the worst first. */
function solve(carried: readonly Float64Array[], wanted: Float64Array, old: readonly number[]): number[] | null {
  let active = carried.map((_, i) => i);
  for (;;) {
    if (active.length === 1) return carried.map((_, i) => (i === active[0] ? 1 : 0));
    const part = solveFree(
      active.map((i) => carried[i]),
      wanted,
      active.map((i) => old[i]),
    );
    if (!part) return null;
    const lowest = part.indexOf(Math.min(...part));
    if (part[lowest] >= 0) {
      const out = carried.map(() => 0);
      active.forEach((i, k) => {
        out[i] = part[k];
      });
      return out;
    }
    active = active.filter((_, k) => k !== lowest);
  }
}

/** The first weight is one less the others, so the sum holds exactly; normal equations in what remains. */
function solveFree(carried: readonly Float64Array[], wanted: Float64Array, old: readonly number[]): number[] | null {
  const n = carried.length - 1;
  const matrix = new Float64Array(n * n),
    right = new Float64Array(n);
  const [first, ...rest] = carried;
  for (let i = 0; i < wanted.length; i++) {
    for (let a = 0; a < n; a++) {
      const u = rest[a][i] - first[i];
      right[a] += u * (wanted[i] - first[i]);
      for (let b = a; b < n; b++) matrix[a * n + b] += u * (rest[b][i] - first[i]);
    }
  }
  let trace = 0;
  for (let a = 0; a < n; a++) {
    trace += matrix[a * n + a];
    for (let b = 0; b < a; b++) matrix[a * n + b] = matrix[b * n + a];
  }
  if (!(trace > 0)) return null;
  const total = old.reduce((sum, w) => sum + w, 0);
  for (let a = 0; a < n; a++) {
    const pull = (PULL * trace) / n;
    matrix[a * n + a] += pull;
    right[a] += pull * (old[a + 1] / total);
  }
  const solved = cholesky(matrix, right, n);
  return solved ? [1 - solved.reduce((sum, w) => sum + w, 0), ...solved] : null;
}

/** Solves a small symmetric positive definite system in place (Golub & Van Loan, alg. 4.2.1); null where it is not. */
function cholesky(matrix: Float64Array, right: Float64Array, n: number): number[] | null {
  for (let j = 0; j < n; j++) {
    for (let i = j; i < n; i++) {
      let sum = matrix[i * n + j];
      for (let k = 0; k < j; k++) sum -= matrix[i * n + k] * matrix[j * n + k];
      if (i === j) {
        if (!(sum > 0)) return null;
        matrix[j * n + j] = Math.sqrt(sum);
      } else matrix[i * n + j] = sum / matrix[j * n + j];
    }
  }
  for (let i = 0; i < n; i++) {
    for (let k = 0; k < i; k++) right[i] -= matrix[i * n + k] * right[k];
    right[i] /= matrix[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    for (let k = i + 1; k < n; k++) right[i] -= matrix[k * n + i] * right[k];
    right[i] /= matrix[i * n + i];
  }
  return Array.from(right);
}
