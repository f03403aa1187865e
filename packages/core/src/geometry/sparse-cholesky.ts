import type { Neighbours } from './dissection.ts';

/** A symmetric positive definite matrix: its diagonal, and one entry a neighbour beside it. */
export interface SparseSymmetric extends Neighbours {
  diagonal: Float64Array;
  entry: Float64Array;
}

export interface SparseFactor {
  /** Solves A x = b in place. */
  solve(b: Float64Array): Float64Array;
  /** Entries of the factor. */
  entries: number;
}

/** A pivot below this share of the diagonal's mean belongs to what the equations leave free. */
const FREE = 1e-13;

/**
 * Factorises A = L Lᵀ, row by row with the elimination tree (up-looking Cholesky; Davis, Direct Methods for Sparse Linear
 * Systems, 2006, ch. 4). Worth it where many right-hand sides follow. @param order of elimination, see `dissectionOrder`
 */
export function sparseCholesky(matrix: SparseSymmetric, order: Uint32Array): SparseFactor {
  const count = order.length,
    upper = permuted(matrix, order),
    parent = eliminationTree(upper, count),
    start = columnStarts(upper, parent, count),
    row = new Uint32Array(start[count]),
    value = new Float64Array(start[count]),
    free = (matrix.diagonal.reduce((sum, d) => sum + d, 0) / Math.max(1, count)) * FREE;
  factorise(upper, parent, { start, row, value }, free);
  const x = new Float64Array(count);
  return {
    entries: row.length,
    solve(b) {
      for (let i = 0; i < count; i++) x[i] = b[order[i]];
      substitute({ start, row, value }, x);
      for (let i = 0; i < count; i++) b[order[i]] = x[i];
      return b;
    },
  };
}

/** Rows above the diagonal of each column of the reordered matrix. */
interface Upper {
  start: Uint32Array;
  row: Uint32Array;
  value: Float64Array;
  diagonal: Float64Array;
}

function permuted({ start, neighbour, entry, diagonal }: SparseSymmetric, order: Uint32Array): Upper {
  const count = order.length,
    at = new Uint32Array(count),
    out: Upper = {
      start: new Uint32Array(count + 1),
      row: new Uint32Array(neighbour.length / 2),
      value: new Float64Array(neighbour.length / 2),
      diagonal: Float64Array.from(order, (point) => diagonal[point]),
    };
  order.forEach((point, i) => {
    at[point] = i;
  });
  let next = 0;
  for (let j = 0; j < count; j++) {
    const point = order[j];
    for (let n = start[point]; n < start[point + 1]; n++) {
      const i = at[neighbour[n]];
      if (i >= j) continue;
      out.row[next] = i;
      out.value[next++] = entry[n];
    }
    out.start[j + 1] = next;
  }
  return out;
}

/** Parent of each column: the first row below it that its elimination reaches (Liu 1990). */
function eliminationTree({ start, row }: Upper, count: number): Int32Array {
  const parent = new Int32Array(count).fill(-1),
    ancestor = new Int32Array(count).fill(-1);
  for (let j = 0; j < count; j++)
    for (let n = start[j]; n < start[j + 1]; n++)
      for (let i = row[n]; i >= 0 && i < j; ) {
        const next = ancestor[i];
        ancestor[i] = j;
        if (next < 0) {
          parent[i] = j;
          break;
        }
        i = next;
      }
  return parent;
}

/** Columns that have an entry in row `j`, in an order in which none needs a later one. @returns from where they stand in `stack` */
function reach(upper: Upper, parent: Int32Array, j: number, mark: Int32Array, stack: Uint32Array): number {
  let top = stack.length;
  mark[j] = j;
  for (let n = upper.start[j]; n < upper.start[j + 1]; n++) {
    let length = 0;
    for (let i = upper.row[n]; i >= 0 && mark[i] !== j; i = parent[i]) {
      stack[length++] = i;
      mark[i] = j;
    }
    while (length) stack[--top] = stack[--length];
  }
  return top;
}

function columnStarts(upper: Upper, parent: Int32Array, count: number): Uint32Array {
  const length = new Uint32Array(count).fill(1),
    mark = new Int32Array(count).fill(-1),
    stack = new Uint32Array(count),
    start = new Uint32Array(count + 1);
  for (let j = 0; j < count; j++) for (let s = reach(upper, parent, j, mark, stack); s < count; s++) length[stack[s]]++;
  for (let j = 0; j < count; j++) start[j + 1] = start[j] + length[j];
  return start;
}

interface Columns {
  start: Uint32Array;
  row: Uint32Array;
  value: Float64Array;
}

function factorise(upper: Upper, parent: Int32Array, { start, row, value }: Columns, free: number): void {
  const count = parent.length,
    next = start.slice(0, count),
    x = new Float64Array(count),
    mark = new Int32Array(count).fill(-1),
    stack = new Uint32Array(count);
  for (let j = 0; j < count; j++) {
    const top = reach(upper, parent, j, mark, stack);
    for (let n = upper.start[j]; n < upper.start[j + 1]; n++) x[upper.row[n]] = upper.value[n];
    let d = upper.diagonal[j];
    for (let s = top; s < count; s++) {
      const i = stack[s],
        l = x[i] / value[start[i]];
      x[i] = 0;
      for (let p = start[i] + 1, end = next[i]; p < end; p++) x[row[p]] -= value[p] * l;
      d -= l * l;
      row[next[i]] = j;
      value[next[i]++] = l;
    }
    row[next[j]] = j;
    // What nothing holds stays where it is.
    value[next[j]++] = d > free ? Math.sqrt(d) : Infinity;
  }
}

/** L Lᵀ x = b, in place. */
function substitute({ start, row, value }: Columns, x: Float64Array): void {
  for (let j = 0; j < x.length; j++) {
    const v = (x[j] /= value[start[j]]);
    if (v) for (let p = start[j] + 1, end = start[j + 1]; p < end; p++) x[row[p]] -= value[p] * v;
  }
  for (let j = x.length - 1; j >= 0; j--) {
    let v = x[j];
    for (let p = start[j] + 1, end = start[j + 1]; p < end; p++) v -= value[p] * x[row[p]];
    x[j] = v / value[start[j]];
  }
}
