import { describe, expect, it } from 'vitest';
import { byDiagonal, conjugateGradients, seededRandom, type SymmetricMatrix } from './index.ts';

/** −x'' on a line of points with both ends held. */
const line = (size: number): SymmetricMatrix => ({
  size,
  precondition: byDiagonal(new Float64Array(size).fill(2)),
  times(x, out) {
    for (let i = 0; i < size; i++) out[i] = 2 * x[i] - (x[i - 1] ?? 0) - (x[i + 1] ?? 0);
  },
});

describe('conjugate gradients', () => {
  it('give the parabola of a line that is pulled evenly', () => {
    const n = 200,
      x = new Float64Array(n),
      steps = conjugateGradients(line(n), new Float64Array(n).fill(1), x);
    expect(steps).toBeLessThanOrEqual(n);
    for (let i = 0; i < n; i++) expect(x[i]).toBeCloseTo(((i + 1) * (n - i)) / 2, 5);
  });
  it('solve what elimination solves', () => {
    const n = 24,
      random = seededRandom(5),
      g = Float64Array.from({ length: n * n }, () => random() - 0.5),
      a = (i: number, j: number) => {
        let sum = i === j ? 0.5 : 0;
        for (let k = 0; k < n; k++) sum += g[i * n + k] * g[j * n + k];
        return sum;
      },
      wanted = Float64Array.from({ length: n }, () => random()),
      times = (x: Float64Array, out: Float64Array) => {
        for (let i = 0; i < n; i++) {
          out[i] = 0;
          for (let j = 0; j < n; j++) out[i] += a(i, j) * x[j];
        }
      },
      b = new Float64Array(n),
      x = new Float64Array(n);
    times(wanted, b);
    conjugateGradients(
      { size: n, times, precondition: byDiagonal(Float64Array.from({ length: n }, (_, i) => a(i, i))) },
      b,
      x,
    );
    for (let i = 0; i < n; i++) expect(x[i]).toBeCloseTo(wanted[i], 7);
  });
  it('leave alone what is solved already, and what has no answer inside the matrix', () => {
    const n = 30,
      ring: SymmetricMatrix = {
        size: n,
        precondition: byDiagonal(new Float64Array(n).fill(2)),
        times(x, out) {
          for (let i = 0; i < n; i++) out[i] = 2 * x[i] - x[(i + 1) % n] - x[(i + n - 1) % n];
        },
      },
      x = new Float64Array(n).fill(7);
    expect(conjugateGradients(ring, new Float64Array(n), x)).toBe(0);
    expect([...x]).toEqual(new Array(n).fill(7));
  });
  it('can be stopped', () => {
    expect(() =>
      conjugateGradients(line(4000), new Float64Array(4000).fill(1), new Float64Array(4000), {
        stop: () => {
          throw new Error('stopped');
        },
      }),
    ).toThrow('stopped');
  });
});
