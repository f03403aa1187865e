import { labCurve } from '../pixels/index.ts';
import { CHANNELS } from './light.ts';
import type { Picture } from './picture.ts';
import { TILE, type Tiles } from './tiles.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const channels = CHANNELS,
  side = TILE;

/** Grey ground that figures stand before, linear. */
export const GROUND = 0.18;

const MOST = 1.1,
  STEPS = 8192,
  TO_STEPS = STEPS / MOST;
const CURVE = Float64Array.from({ length: STEPS + 2 }, (_, i) => labCurve((MOST * i) / STEPS));
/** {@link labCurve} from a table, between its steps by a straight line: within 2e-6. */
function curve(t: number): number {
  const x = t <= 0 ? 0 : t >= MOST ? STEPS : t * TO_STEPS,
    i = x | 0;
  return CURVE[i] + (x - i) * (CURVE[i + 1] - CURVE[i]);
}

const ROWS = side + 2,
  ROW = (side + 2) * 3,
  shown = new Float64Array(ROWS * ROW),
  across = new Float64Array(ROWS * side * 3);

/**
 * L*a*b* of a picture under one light before grey ground, softened by a 3 × 3 binomial, since one sample a pixel carries
 * no finer truth. Only tiles that are asked for are written.
 */
export function writeLab(out: Float32Array, picture: Picture, light: number, tiles: Tiles): void {
  const { size } = picture;
  for (const tile of tiles.wanted) {
    const left = (tile % tiles.across) * side,
      top = Math.floor(tile / tiles.across) * side;
    showTile(picture, light, left, top);
    softenAcross();
    for (let y = top, row = 0; y < Math.min(size, top + side); y++, row += side * 3)
      for (let x = left, o = row; x < Math.min(size, left + side); x++, o += 3) {
        const r = 0.25 * across[o] + 0.5 * across[o + side * 3] + 0.25 * across[o + side * 6],
          g = 0.25 * across[o + 1] + 0.5 * across[o + side * 3 + 1] + 0.25 * across[o + side * 6 + 1],
          b = 0.25 * across[o + 2] + 0.5 * across[o + side * 3 + 2] + 0.25 * across[o + side * 6 + 2];
        const fx = curve(0.4339499 * r + 0.3762098 * g + 0.1898403 * b),
          fy = curve(0.2126729 * r + 0.7151522 * g + 0.072175 * b),
          fz = curve(0.0177566 * r + 0.109468 * g + 0.8727755 * b),
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
        from = at * channels + light * 3,
        ground = (1 - alpha[at]) * GROUND;
      shown[to] = Math.min(1, color[from] + ground);
      shown[to + 1] = Math.min(1, color[from + 1] + ground);
      shown[to + 2] = Math.min(1, color[from + 2] + ground);
    }
  }
}

function softenAcross(): void {
  for (let row = 0, to = 0; row < ROWS; row++)
    for (let i = row * ROW + 3, end = i + side * 3; i < end; i++, to++)
      across[to] = 0.25 * shown[i - 3] + 0.5 * shown[i] + 0.25 * shown[i + 3];
}
