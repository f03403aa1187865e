import { describe, expect, it } from 'vitest';
import { cubeRoot, degreesOf, expOf, power24, root24, sineOfSmall, turnOf } from './exact.ts';

const near = (a: number, b: number, within: number) => expect(Math.abs(a - b)).toBeLessThanOrEqual(within);

describe('functions without a last bit of their own', () => {
  it('agree with those of the engine', () => {
    for (let i = 0; i <= 4000; i++) {
      const x = i / 1000;
      near(cubeRoot(x), Math.cbrt(x), 4e-16 * (1 + x));
      near(power24(x), x ** 2.4, 1e-14 * (1 + x ** 2.4));
      near(root24(x), x ** (1 / 2.4), 1e-14);
      near(expOf(-x * 8), Math.exp(-x * 8), 1e-13 * Math.exp(-x * 8));
      near(sineOfSmall((x - 2) / 2), Math.sin((x - 2) / 2), 1e-15);
    }
    for (let angle = -720; angle <= 720; angle += 3.7) {
      const { cos, sin } = turnOf(angle);
      near(cos, Math.cos((angle * Math.PI) / 180), 1e-14);
      near(sin, Math.sin((angle * Math.PI) / 180), 1e-14);
      const back = degreesOf(sin, cos),
        wanted = ((angle % 360) + 360) % 360;
      near(Math.min(Math.abs(back - wanted), 360 - Math.abs(back - wanted)), 0, 3e-6);
    }
  });
  it('end where they must', () => {
    expect([cubeRoot(0), cubeRoot(-1), root24(0), power24(0), expOf(-1e6), degreesOf(0, 0)]).toEqual([
      0, 0, 0, 0, 0, 0,
    ]);
    expect([turnOf(0), turnOf(90), turnOf(180)].map(({ cos, sin }) => [cos + 0, sin + 0])).toEqual([
      [1, 0],
      [0, 1],
      [-1, 0],
    ]);
  });
});
