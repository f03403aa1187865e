import { labCurve } from '../pixels/index.ts';
import { CHANNELS } from './light.ts';
import type { Picture } from './picture.ts';
import { TILE, type Tiles } from './tiles.ts';

/** Grey ground that figures stand before, linear. */
export const GROUND = 0.18;

const DARK = 0.05,
  MOST = 1.1,
  DARK_STEPS = 2048,
  STEPS = 4096;
const curveOf = (steps: number, from: number, to: number) =>
  Float64Array.from({ length: steps + 2 }, (_, i) => labCurve(from + ((to - from) * i) / steps));
const DARK_CURVE = curveOf(DARK_STEPS, 0, DARK),
  CURVE = curveOf(STEPS, DARK, MOST);
/** {@link labCurve} from tables, between their steps by a straight line: within 1e-6. */
function curve(t: number): number {
  if (t >= MOST) return CURVE[STEPS];
  const dark = t < DARK,
    table = dark ? DARK_CURVE : CURVE,
    x = t <= 0 ? 0 : dark ? (t / DARK) * DARK_STEPS : ((t - DARK) / (MOST - DARK)) * STEPS,
    i = x | 0;
  return table[i] + (x - i) * (table[i + 1] - table[i]);
}

const ROWS = TILE + 2,
  blurred = new Float64Array(ROWS * TILE * 3);

/**
 * L*a*b* of a picture under one light before grey ground, softened by a 3 × 3 binomial, since one sample a pixel carries
 * no finer truth. Only tiles that are asked for are written.
 */
export function writeLab(out: Float32Array, { size, color, alpha }: Picture, light: number, tiles: Tiles): void {
  const at = (x: number, y: number, k: number): number => {
    const pixel = y * size + x,
      value = color[pixel * CHANNELS + light * 3 + k] + (1 - alpha[pixel]) * GROUND;
    return value < 1 ? value : 1;
  };
  const edge = size - 1;
  for (const tile of tiles.wanted) {
    const left = (tile % tiles.across) * TILE,
      top = ((tile / tiles.across) | 0) * TILE,
      right = Math.min(size, left + TILE),
      bottom = Math.min(size, top + TILE);
    for (let row = 0; row < bottom - top + 2; row++) {
      const y = Math.max(0, Math.min(edge, top + row - 1));
      for (let x = left; x < right; x++) {
        const before = x > 0 ? x - 1 : 0,
          after = x < edge ? x + 1 : edge,
          o = (row * TILE + x - left) * 3;
        for (let k = 0; k < 3; k++)
          blurred[o + k] = 0.25 * at(before, y, k) + 0.5 * at(x, y, k) + 0.25 * at(after, y, k);
      }
    }
    for (let y = top; y < bottom; y++)
      for (let x = left; x < right; x++) {
        const o = ((y - top) * TILE + x - left) * 3,
          soft = (k: number) =>
            0.25 * blurred[o + k] + 0.5 * blurred[o + TILE * 3 + k] + 0.25 * blurred[o + TILE * 6 + k];
        const r = soft(0),
          g = soft(1),
          b = soft(2);
        const fx = curve((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047),
          fy = curve(0.2126729 * r + 0.7151522 * g + 0.072175 * b),
          fz = curve((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883),
          to = (y * size + x) * 3;
        out[to] = 116 * fy - 16;
        out[to + 1] = 500 * (fx - fy);
        out[to + 2] = 200 * (fy - fz);
      }
  }
}
