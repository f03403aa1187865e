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
  ROW = (TILE + 2) * 3,
  shown = new Float64Array(ROWS * ROW),
  across = new Float64Array(ROWS * TILE * 3);

/**
 * L*a*b* of a picture under one light before grey ground, softened by a 3 × 3 binomial, since one sample a pixel carries
 * no finer truth. Only tiles that are asked for are written.
 */
export function writeLab(out: Float32Array, picture: Picture, light: number, tiles: Tiles): void {
  const { size } = picture;
  for (const tile of tiles.wanted) {
    const left = (tile % tiles.across) * TILE,
      top = Math.floor(tile / tiles.across) * TILE;
    showTile(picture, light, left, top);
    softenAcross();
    for (let y = top, row = 0; y < Math.min(size, top + TILE); y++, row += TILE * 3)
      for (let x = left, o = row; x < Math.min(size, left + TILE); x++, o += 3) {
        const r = 0.25 * across[o] + 0.5 * across[o + TILE * 3] + 0.25 * across[o + TILE * 6],
          g = 0.25 * across[o + 1] + 0.5 * across[o + TILE * 3 + 1] + 0.25 * across[o + TILE * 6 + 1],
          b = 0.25 * across[o + 2] + 0.5 * across[o + TILE * 3 + 2] + 0.25 * across[o + TILE * 6 + 2];
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

/** A tile and the pixels around it before the ground; the picture's rim is repeated. */
function showTile({ size, color, alpha }: Picture, light: number, left: number, top: number): void {
  const edge = size - 1;
  for (let row = 0, to = 0; row < ROWS; row++) {
    const y = Math.max(0, Math.min(edge, top + row - 1));
    for (let column = 0; column < ROWS; column++, to += 3) {
      const at = y * size + Math.max(0, Math.min(edge, left + column - 1)),
        from = at * CHANNELS + light * 3,
        ground = (1 - alpha[at]) * GROUND;
      shown[to] = Math.min(1, color[from] + ground);
      shown[to + 1] = Math.min(1, color[from + 1] + ground);
      shown[to + 2] = Math.min(1, color[from + 2] + ground);
    }
  }
}

function softenAcross(): void {
  for (let row = 0, to = 0; row < ROWS; row++)
    for (let i = row * ROW + 3, end = i + TILE * 3; i < end; i++, to++)
      across[to] = 0.25 * shown[i - 3] + 0.5 * shown[i] + 0.25 * shown[i + 3];
}
