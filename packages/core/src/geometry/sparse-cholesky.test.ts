import { describe, expect, it } from 'vitest';
import { dissectionOrder, seededRandom, type SparseSymmetric, sparseCholesky } from './index.ts';

/** A grid of points with springs between neighbours, and its places. */
function grid(side: number, hold: number, seed = 3): { matrix: SparseSymmetric; positions: Float32Array } {
  const random = seededRandom(seed),
    count = side * side,
    rows: [number, number][][] = Array.from({ length: count }, () => []),
    diagonal = new Float64Array(count).fill(hold),
    tie = (a: number, b: number) => {
      const w = 0.2 + random();
      rows[a].push([b, -w]);
      rows[b].push([a, -w]);
      diagonal[a] += w;
      diagonal[b] += w;
    };
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      if (x + 1 < side) tie(y * side + x, y * side + x + 1);
      if (y + 1 < side) tie(y * side + x, (y + 1) * side + x);
      if (x + 1 < side && y + 1 < side) tie(y * side + x, (y + 1) * side + x + 1);
    }
  const start = new Uint32Array(count + 1);
  rows.forEach((row, i) => {
    start[i + 1] = start[i] + row.length;
  });
  return {
    matrix: {
      start,
      neighbour: Uint32Array.from(rows.flatMap((row) => row.map(([to]) => to))),
      entry: Float64Array.from(rows.flatMap((row) => row.map(([, w]) => w))),
      diagonal,
    },
    positions: Float32Array.from({ length: count * 3 }, (_, k) =>
      k % 3 === 0 ? Math.floor(k / 3) % side : k % 3 === 1 ? Math.floor(k / 3 / side) : 0,
    ),
  };
}

const times = ({ start, neighbour, entry, diagonal }: SparseSymmetric, x: ArrayLike<number>): Float64Array =>
  diagonal.map((d, i) => {
    let sum = d * x[i];
    for (let n = start[i]; n < start[i + 1]; n++) sum += entry[n] * x[neighbour[n]];
    return sum;
  });
const asItComes = (count: number) => Uint32Array.from({ length: count }, (_, i) => i);

describe('sparse Cholesky', () => {
  it('gives back what the matrix was multiplied with, in any order of elimination', () => {
    const { matrix, positions } = grid(31, 0.01),
      random = seededRandom(9),
      wanted = Float64Array.from({ length: 31 * 31 }, () => random() - 0.5);
    for (const order of [asItComes(wanted.length), dissectionOrder(matrix, positions)]) {
      const { solve } = sparseCholesky(matrix, order);
      for (let again = 0; again < 2; again++) {
        const x = solve(times(matrix, wanted));
        for (let i = 0; i < x.length; i++) expect(x[i]).toBeCloseTo(wanted[i], 9);
      }
    }
  });
  it('solves what nothing holds up to one number, as the equations leave it', () => {
    const { matrix, positions } = grid(20, 0),
      random = seededRandom(4),
      wanted = Float64Array.from({ length: 400 }, () => random()),
      x = sparseCholesky(matrix, dissectionOrder(matrix, positions)).solve(times(matrix, wanted)),
      off = x[0] - wanted[0];
    for (let i = 0; i < x.length; i++) expect(x[i] - wanted[i]).toBeCloseTo(off, 7);
  });
  it('keeps far less where it goes by dissection', () => {
    const { matrix, positions } = grid(60, 0.1),
      order = dissectionOrder(matrix, positions);
    expect([...order].sort((a, b) => a - b)).toEqual([...asItComes(3600)]);
    expect(sparseCholesky(matrix, order).entries).toBeLessThan(sparseCholesky(matrix, asItComes(3600)).entries / 2);
  });
});
