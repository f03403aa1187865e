import { describe, expect, it } from 'vitest';
import { keyed, sharesAt } from './pad-shares.ts';
import { everyShare, withShares } from './use-mix.ts';

describe('the pad', () => {
  const corners = [
    [0, 0],
    [100, 0],
    [0, 100],
  ] as const;
  it('has each person in a corner and mixes between', () => {
    corners.forEach((corner, i) => expect(sharesAt(corners, corner)).toEqual([0, 1, 2].map((k) => (k === i ? 1 : 0))));
    for (const [point, wanted] of [
      [
        [25, 25],
        [0.5, 0.25, 0.25],
      ],
      [
        [100, 100],
        [0, 0.5, 0.5],
      ],
      [
        [40, -30],
        [0.6, 0.4, 0],
      ],
      [
        [-50, -50],
        [1, 0, 0],
      ],
    ] as const)
      sharesAt(corners, point).forEach((share, i) => expect(share).toBeCloseTo(wanted[i], 9));
    expect(sharesAt(corners.slice(0, 2), [30, 80])).toEqual([0.7, 0.3]);
    expect(sharesAt(corners.slice(0, 2), [-30, 0])).toEqual([1, 0]);
  });
  it('goes by keys and never out of itself', () => {
    expect(keyed('ArrowRight', [0.2])).toEqual([0.25]);
    expect(keyed('Tab', [0.2])).toBeNull();
    expect(keyed('Enter', [0.2, 0.1])).toBeNull();
    for (const keyName of ['ArrowLeft', 'ArrowRight', 'ArrowUp', 'ArrowDown', 'Home', 'End'])
      for (let a = 0; a <= 1; a += 0.1)
        for (let b = 0; a + b <= 1.0001; b += 0.1) {
          const [x, y] = keyed(keyName, [a, b]) as number[];
          expect(Math.min(x, y)).toBeGreaterThanOrEqual(0);
          expect(x + y).toBeLessThanOrEqual(1 + 1e-9);
          if (keyName === 'ArrowLeft' && a < 0.99) expect(x).toBeGreaterThan(a);
          if (keyName === 'ArrowRight' && b < 0.99) expect(y).toBeGreaterThan(b);
        }
  });
});

describe('shares of people', () => {
  it('in the whole are those everywhere, in a region only there', () => {
    const whole = withShares([{ nose: 1 }, {}], 'all', [0.5, 0.25]);
    expect(whole).toEqual([{ all: 0.5 }, { all: 0.25 }]);
    const nose = withShares(whole, 'nose', [0, 1]);
    expect(everyShare(nose, 'nose')).toEqual([0, 0, 1]);
    expect(everyShare(nose, 'jaw')).toEqual([0.25, 0.5, 0.25]);
    const [own, first, second] = everyShare(nose, 'all');
    expect(own + first + second).toBeCloseTo(1, 9);
    expect(second).toBeCloseTo((0.25 * 13 + 1) / 14, 9);
  });
});
