import { byDiagonal, type SymmetricMatrix } from '../../geometry/index.ts';
import type { SkinMesh } from './skin-mesh.ts';

/** Σ over edges of w (xᵢ − xⱼ) (yᵢ − yⱼ), with `held` added to the diagonal; matrix of the mesh. */
export function edgeMatrix(
  { points, from, to }: SkinMesh,
  weight: Float64Array,
  held: Float64Array | null,
): SymmetricMatrix {
  const diagonal = held ? Float64Array.from(held) : new Float64Array(points);
  for (let e = 0; e < from.length; e++) {
    diagonal[from[e]] += weight[e];
    diagonal[to[e]] += weight[e];
  }
  const { start, neighbour, entry } = rowsOf(points, from, to, weight);
  return {
    size: points,
    times: (x, out) => multiplyRows(start, neighbour, entry, diagonal, x, out),
    // Held everywhere, it is near its diagonal; held nowhere, what is wide takes as many steps as the surface is across.
    precondition: held ? byDiagonal(diagonal) : inTwoLevels(diagonal, { start, neighbour, entry }),
  };
}

/** Points of one cluster. */
const CLUSTER = 96;

/**
 * Additive two-level preconditioner: the diagonal, and the exact answer for what is constant on clusters of points
 * (Nicolaides 1987).
 */
function inTwoLevels(diagonal: Float64Array, rows: Rows): SymmetricMatrix['precondition'] {
  const { of, count } = clusters(diagonal.length, rows),
    coarse = new Float64Array(count * count),
    fine = byDiagonal(diagonal),
    sum = new Float64Array(count);
  for (let i = 0; i < diagonal.length; i++) {
    coarse[of[i] * count + of[i]] += diagonal[i];
    for (let n = rows.start[i]; n < rows.start[i + 1]; n++)
      coarse[of[i] * count + of[rows.neighbour[n]]] -= rows.entry[n];
  }
  factorise(coarse, count);
  return (r, out) => {
    fine(r, out);
    sum.fill(0);
    for (let i = 0; i < of.length; i++) sum[of[i]] += r[i];
    substitute(coarse, count, sum);
    for (let i = 0; i < of.length; i++) out[i] += sum[of[i]];
  };
}

/** Points gathered around one after the other, breadth first; what is left over between clusters joins one beside it. */
function clusters(points: number, { start, neighbour }: Rows): { of: Int32Array; count: number } {
  const of = new Int32Array(points).fill(-1);
  let count = 0;
  for (let first = 0; first < points; first++) {
    if (of[first] >= 0) continue;
    const members = [first];
    let beside = -1;
    of[first] = count;
    for (let m = 0; m < members.length && members.length < CLUSTER; m++)
      for (let n = start[members[m]]; n < start[members[m] + 1] && members.length < CLUSTER; n++)
        if (of[neighbour[n]] < 0) {
          of[neighbour[n]] = count;
          members.push(neighbour[n]);
        } else if (of[neighbour[n]] !== count) beside = of[neighbour[n]];
    if (members.length < CLUSTER / 2 && beside >= 0) for (const member of members) of[member] = beside;
    else count++;
  }
  return { of, count };
}

/** Cholesky's factor in the lower half, in place; what is free takes a trace of stiffness. */
function factorise(a: Float64Array, n: number): void {
  let trace = 0;
  for (let i = 0; i < n; i++) trace += a[i * n + i];
  for (let i = 0; i < n; i++) a[i * n + i] += (trace / n) * 1e-9;
  for (let j = 0; j < n; j++) {
    const row = j * n;
    for (let i = j; i < n; i++) {
      let sum = a[i * n + j];
      for (let k = 0, at = i * n; k < j; k++) sum -= a[at + k] * a[row + k];
      if (i === j) a[row + j] = Math.sqrt(Math.max(sum, trace * 1e-18));
      else a[i * n + j] = sum / a[row + j];
    }
  }
}

function substitute(a: Float64Array, n: number, b: Float64Array): void {
  for (let i = 0; i < n; i++) {
    let sum = b[i];
    for (let k = 0, at = i * n; k < i; k++) sum -= a[at + k] * b[k];
    b[i] = sum / a[i * n + i];
  }
  for (let i = n - 1; i >= 0; i--) {
    b[i] /= a[i * n + i];
    for (let k = 0, at = i * n; k < i; k++) b[k] -= a[at + k] * b[i];
  }
}

interface Rows {
  start: Uint32Array;
  neighbour: Uint32Array;
  entry: Float64Array;
}

function multiplyRows(
  start: Uint32Array,
  neighbour: Uint32Array,
  entry: Float64Array,
  diagonal: Float64Array,
  x: Float64Array,
  out: Float64Array,
): void {
  for (let i = 0; i < out.length; i++) {
    let sum = diagonal[i] * x[i];
    for (let n = start[i], end = start[i + 1]; n < end; n++) sum -= entry[n] * x[neighbour[n]];
    out[i] = sum;
  }
}

function rowsOf(points: number, from: Uint32Array, to: Uint32Array, weight: Float64Array): Rows {
  const start = new Uint32Array(points + 1);
  for (let e = 0; e < from.length; e++) {
    start[from[e] + 1]++;
    start[to[e] + 1]++;
  }
  for (let i = 0; i < points; i++) start[i + 1] += start[i];
  const at = start.slice(),
    neighbour = new Uint32Array(from.length * 2),
    entry = new Float64Array(from.length * 2);
  for (let e = 0; e < from.length; e++) {
    neighbour[at[from[e]]] = to[e];
    entry[at[from[e]]++] = weight[e];
    neighbour[at[to[e]]] = from[e];
    entry[at[to[e]]++] = weight[e];
  }
  return { start, neighbour, entry };
}
