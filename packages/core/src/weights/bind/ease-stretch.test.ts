import { describe, expect, it } from 'vitest';
import { bendVertex, type Influences } from '../../character/index.ts';
import { easeStretch } from './ease-stretch.ts';

/** A strip along x, two vertices across, columns at `xs`; each vertex follows joint 0 or 1 as `second` says. */
function strip(xs: readonly number[], second: (x: number) => number) {
  const positions = Float32Array.from(xs.flatMap((x) => [x, 0, 0, x, 0, 0.002])),
    indices = Uint32Array.from(xs.slice(1).flatMap((_, i) => [0, 2, 1, 1, 2, 3].map((corner) => corner + i * 2))),
    weights = Float32Array.from(xs.flatMap((x) => [1, 2].flatMap(() => [1 - second(x), second(x)])));
  const influences: Influences = { perVertex: 2, joints: Uint16Array.from(weights, (_, k) => k & 1), weights };
  return {
    body: { positions, indices, ranges: [] },
    influences,
    first: Uint32Array.from(positions.keys()).slice(0, xs.length * 2),
  };
}

/** Joint 0 stays; joint 1 goes up by so many metres. */
function lifted(by: number): Float64Array {
  const motion = new Float64Array(32);
  for (const o of [0, 16]) motion[o] = motion[o + 5] = motion[o + 10] = motion[o + 15] = 1;
  motion[16 + 13] = by;
  return motion;
}

function longest(positions: Float32Array, indices: Uint32Array, influences: Influences, motion: Float64Array): number {
  const posed = new Float64Array(positions.length),
    point = new Float64Array(3);
  for (let v = 0; v < positions.length / 3; v++) {
    bendVertex(point, motion, influences, v, positions);
    posed.set(point, v * 3);
  }
  const length = (p: ArrayLike<number>, a: number, b: number) =>
    Math.hypot(p[a * 3] - p[b * 3], p[a * 3 + 1] - p[b * 3 + 1], p[a * 3 + 2] - p[b * 3 + 2]);
  let most = 0;
  for (let k = 0; k < indices.length; k++) {
    const a = indices[k],
      b = indices[k % 3 === 2 ? k - 2 : k + 1];
    most = Math.max(most, length(posed, a, b) / length(positions, a, b));
  }
  return most;
}

const even = Array.from({ length: 41 }, (_, i) => (i - 20) * 0.001);

describe('weights are evened out where bending tears', () => {
  it('a sudden change becomes one that no edge is stretched twice by, and the ends keep what they had', () => {
    const { body, influences, first } = strip(even, (x) => Number(x > 0)),
      motion = lifted(0.008);
    expect(longest(body.positions, body.indices, influences, motion)).toBeGreaterThan(8);
    const changed = easeStretch(body, influences, first, [lifted(0), motion]);
    expect(changed).toBeGreaterThan(8);
    expect(longest(body.positions, body.indices, influences, motion)).toBeLessThan(1.75);
    expect(Array.from(influences.weights.slice(0, 4))).toEqual([1, 0, 1, 0]);
    for (let v = 0; v < even.length * 2; v++)
      expect(influences.weights[v * 2] + influences.weights[v * 2 + 1]).toBeCloseTo(1, 6);
  });
  it('a fine fold in the middle is no tear either: the change is shared by length, not by the number of edges', () => {
    const fold = Array.from({ length: 11 }, (_, i) => i * 0.00003),
      { body, influences, first } = strip([...even.filter((x) => x < 0), ...fold, ...even.filter((x) => x > 0)], (x) =>
        Number(x > 0.0001),
      ),
      motion = lifted(0.008);
    easeStretch(body, influences, first, [motion]);
    expect(longest(body.positions, body.indices, influences, motion)).toBeLessThan(2);
  });
  it('what stretches nothing stays to the bit, and vertices at one place stay one', () => {
    const gentle = strip(even, (x) => Math.max(0, Math.min(1, x / 0.04 + 0.5))),
      before = gentle.influences.weights.slice();
    expect(easeStretch(gentle.body, gentle.influences, gentle.first, [lifted(0.008)])).toBe(0);
    expect(gentle.influences.weights).toEqual(before);

    const torn = strip([...even.slice(0, 21), 0, ...even.slice(21)], (x) => Number(x > 0)),
      twin = 21 * 2;
    torn.first[twin] = 20 * 2;
    torn.first[twin + 1] = 20 * 2 + 1;
    easeStretch(torn.body, torn.influences, torn.first, [lifted(0.008)]);
    expect(torn.influences.weights.slice(twin * 2, twin * 2 + 4)).toEqual(torn.influences.weights.slice(80, 84));
  });
});
