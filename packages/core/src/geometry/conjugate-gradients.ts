/** A symmetric matrix without negative eigenvalues, as what it does to a vector. */
export interface SymmetricMatrix {
  size: number;
  /** out = A x */
  times(x: Float64Array, out: Float64Array): void;
  /** out = M⁻¹ r, M being something like A that is easily undone. */
  precondition(r: Float64Array, out: Float64Array): void;
}

/** Undoes the diagonal alone. */
export const byDiagonal =
  (diagonal: Float64Array) =>
  (r: Float64Array, out: Float64Array): void => {
    for (let i = 0; i < r.length; i++) out[i] = diagonal[i] > 0 ? r[i] / diagonal[i] : 0;
  };

/**
 * Solves A x = b by preconditioned conjugate gradients (Hestenes & Stiefel 1952; Shewchuk 1994, B3). Where A has a null space, `b` has to lie outside it, and what `x` has of it at the start stays.
 * @param x where it starts; the solution afterwards
 * @param close share of the first residual at which it ends
 * @returns steps taken
 */
export function conjugateGradients(
  { size, times, precondition }: SymmetricMatrix,
  b: Float64Array,
  x: Float64Array,
  { close = 1e-9, steps = 4000, stop = () => {} }: { close?: number; steps?: number; stop?: () => void } = {},
): number {
  const r = new Float64Array(size),
    z = new Float64Array(size),
    p = new Float64Array(size),
    q = new Float64Array(size);
  times(x, r);
  for (let i = 0; i < size; i++) r[i] = b[i] - r[i];
  precondition(r, z);
  let rz = product(r, z);
  const enough = rz * close * close;
  p.set(z);
  for (let step = 0; step < steps; step++) {
    if (!(rz > enough)) return step;
    if (step % 64 === 0) stop();
    times(p, q);
    const along = product(p, q);
    if (!(along > 0)) return step;
    advance(x, r, p, q, rz / along);
    precondition(r, z);
    const next = product(r, z);
    follow(p, z, next / rz);
    rz = next;
  }
  return steps;
}

function product(a: Float64Array, b: Float64Array): number {
  let sum = 0;
  for (let i = 0; i < a.length; i++) sum += a[i] * b[i];
  return sum;
}
function advance(x: Float64Array, r: Float64Array, p: Float64Array, q: Float64Array, by: number): void {
  for (let i = 0; i < x.length; i++) {
    x[i] += by * p[i];
    r[i] -= by * q[i];
  }
}
function follow(p: Float64Array, z: Float64Array, by: number): void {
  for (let i = 0; i < p.length; i++) p[i] = z[i] + by * p[i];
}
