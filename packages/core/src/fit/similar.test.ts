import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import { asWide, ballThrough, nudged, placed } from './similar.ts';

/** Points of a ball that look forward by at least so much. */
function cap(at: readonly number[], radius: number, least: number): number[] {
  const random = seededRandom(5),
    out: number[] = [];
  while (out.length < 600) {
    const p = [random() * 2 - 1, random() * 2 - 1, random() * 2 - 1],
      l = Math.hypot(...p);
    if (l > 1 || l < 0.2 || p[2] / l < least) continue;
    out.push(...p.map((x, k) => at[k] + (radius * x) / l));
  }
  return out;
}

describe('a ball through points', () => {
  it.each([-1, 0, 0.6])('is the one they lie on, whole or a cap that looks forward by %d', (least) => {
    const ball = ballThrough(cap([0.03, 1.66, 0.09], 0.012, least));
    expect(Math.hypot(...(ball?.at ?? [0, 0, 0]).map((x, k) => x - [0.03, 1.66, 0.09][k]))).toBeLessThan(1e-9);
    expect(ball?.radius).toBeCloseTo(0.012, 9);
  });
  it('is none for points of a plane, or too few', () => {
    expect(ballThrough([0, 0, 0, 1, 0, 0, 0, 1, 0])).toBeNull();
    expect(ballThrough([0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1, 0, 0.5, 0.2, 0])).toBeNull();
  });
});

describe('what lies as something else does', () => {
  it('is as wide, about the same middle, and may be nudged', () => {
    const from = [-1, 0, 0, 1, 2, 0],
      like = asWide(from, [4, 1, 1, 5, 3, 1]);
    expect(like).toEqual({ scale: 0.5, from: [0, 1, 0], to: [4.5, 2, 1] });
    expect(placed(like as never, -1, 1, 0)).toEqual([4, 2, 1]);
    expect(placed(nudged(like as never, 2, 0.1, 0.01), 1, 1, 0)).toEqual([5.5, 2.01, 1.1]);
    expect(asWide([0, 0, 0], from)).toBeNull();
  });
});
