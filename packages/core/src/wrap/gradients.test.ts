import { describe, expect, it } from 'vitest';
import { Gradients, isReached } from './gradients.ts';

/** Four points, each beside each other; unknowns laid out t_x A_x0 A_x1 A_x2 t_y … per point. */
const AT = [
  [0, 0, 0],
  [1, 0.1, 0],
  [0.2, 0.9, -0.1],
  [0.1, 0.3, 0.8],
];
const PAIRS = [
  [0, 1],
  [0, 2],
  [0, 3],
  [1, 2],
  [1, 3],
  [2, 3],
];
const EDGES = {
  from: Uint32Array.from(PAIRS, ([i]) => i),
  to: Uint32Array.from(PAIRS, ([, j]) => j),
  e: Float64Array.from(PAIRS.flatMap(([i, j]) => AT[j].map((x, k) => x - AT[i][k]))),
  stiff: Float64Array.from([1, 2, 1, 0.5, 1, 3]),
};
const POINTS = 4,
  ALPHA = 0.7,
  LIKE = 0.3,
  WEIGHTS = [1, 0.5, 0.5, 1];

/** The energy's matrix for one coordinate, by its own definition: 4 unknowns a point. */
function matrix(): number[][] {
  const size = POINTS * 4,
    out = Array.from({ length: size }, () => new Array<number>(size).fill(0)),
    add = (row: readonly (readonly [number, number])[], by: number) => {
      for (const [i, a] of row) for (const [j, b] of row) out[i][j] += by * a * b;
    };
  for (let m = 0; m < EDGES.from.length; m++) {
    const i = EDGES.from[m] * 4,
      j = EDGES.to[m] * 4,
      e = [...EDGES.e.subarray(m * 3, m * 3 + 3)],
      by = ALPHA * EDGES.stiff[m];
    add([[i, 1], ...e.map((x, k) => [i + 1 + k, x] as const), [j, -1]], by);
    add([[j, 1], ...e.map((x, k) => [j + 1 + k, -x] as const), [i, -1]], by);
    for (let k = 1; k < 4; k++)
      add(
        [
          [i + k, 1],
          [j + k, -1],
        ],
        by * LIKE,
      );
  }
  WEIGHTS.forEach((w, i) => add([[i * 4, 1]], w));
  return out;
}
/** One after the other would be the unit matrix: blocks that say nothing. */
function units(): Float64Array {
  const out = new Float64Array(POINTS * 16);
  for (let p = 0; p < POINTS; p++) for (let k = 0; k < 4; k++) out[p * 16 + k * 5] = 1;
  return out;
}

describe('gradients in single precision', () => {
  it('go where the energy says by its own definition, each coordinate by itself', () => {
    const gradients = new Gradients(POINTS, EDGES),
      left = Float64Array.from({ length: POINTS * 12 }, (_, k) => ((k * 7) % 11) - 5);
    gradients.use(units(), WEIGHTS, ALPHA, LIKE);
    const rz = gradients.begin(left);
    [0, 1, 2].forEach((c) => {
      let sum = 0;
      for (let i = 0; i < POINTS; i++) for (let k = 0; k < 4; k++) sum += left[i * 12 + c * 4 + k] ** 2;
      expect(rz[c]).toBeCloseTo(sum, 3);
    });
    gradients.descend(rz, [0, 0, 0], 200);
    const found = new Float64Array(left.length);
    gradients.addTo(found);
    for (let c = 0; c < 3; c++) {
      const of = (all: Float64Array) =>
          Array.from({ length: POINTS * 4 }, (_, u) => all[Math.floor(u / 4) * 12 + c * 4 + (u % 4)]),
        wanted = of(left),
        x = of(found);
      // What the energy's own matrix makes of it is what it was to go.
      matrix().forEach((row, u) => {
        expect(Math.abs(row.reduce((sum, a, k) => sum + a * x[k], 0) - wanted[u])).toBeLessThan(5e-3);
      });
    }
  });
  it('take no step where nothing is left, and say so', () => {
    const gradients = new Gradients(POINTS, EDGES);
    gradients.use(units(), WEIGHTS, ALPHA, LIKE);
    const rz = gradients.begin(new Float64Array(POINTS * 12));
    expect(isReached(rz, [0, 0, 0])).toBe(true);
    expect(gradients.descend(rz, [0, 0, 0], 10)).toBe(0);
  });
  it('leave a coordinate that is there where it is', () => {
    const gradients = new Gradients(POINTS, EDGES),
      left = Float64Array.from({ length: POINTS * 12 }, (_, k) => (Math.floor(k / 4) % 3 === 1 ? 1 : 0)),
      out = new Float64Array(left.length);
    gradients.use(units(), WEIGHTS, ALPHA, LIKE);
    gradients.descend(gradients.begin(left), [0, 0, 0], 50);
    gradients.addTo(out);
    out.forEach((x, k) => {
      if (Math.floor(k / 4) % 3 !== 1) expect(x).toBe(0);
    });
    expect(out.some((x) => x !== 0)).toBe(true);
  });
});
