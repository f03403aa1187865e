import { boundsOf, type Picture } from './picture.ts';
import { TILE, type Tiles } from './tiles.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const side = TILE;

const WINDOW = 8,
  STEP = 4,
  /** Pixels of a window that have to show something. */
  LEAST_SEEN = 16;

/** Mean structural likeness of lightness over windows where something is seen (SSIM; Wang, Bovik, Sheikh & Simoncelli 2004). */
export function structureOf(labA: Float32Array, labB: Float32Array, a: Picture, b: Picture, tiles: Tiles): number {
  const { size } = a,
    { left, top, right, bottom } = boundsOf(a, b, WINDOW),
    first = (from: number) => Math.floor(from / STEP) * STEP;
  let sum = 0,
    windows = 0;
  for (let y = first(top); y + WINDOW <= size && y <= bottom; y += STEP)
    for (let x = first(left); x + WINDOW <= size && x <= right; x += STEP) {
      let seen = 0;
      for (let j = y; j < y + WINDOW; j++)
        for (let i = x; i < x + WINDOW; i++) {
          const at = j * size + i;
          if (a.alpha[at] > 0.02 || b.alpha[at] > 0.02) seen++;
        }
      if (seen < LEAST_SEEN) continue;
      windows++;
      sum += touches(tiles, x, y) ? likeness(labA, labB, x, y, size) : 1;
    }
  return windows ? sum / windows : 1;
}

/** Whether all tiles under a window were written. Elsewhere lightness is that of another pair. */
function touches({ near, across }: Tiles, x: number, y: number): boolean {
  for (let j = Math.floor(y / side); j * side < y + WINDOW; j++)
    for (let i = Math.floor(x / side); i * side < x + WINDOW; i++) if (!near[j * across + i]) return false;
  return true;
}

function likeness(labA: Float32Array, labB: Float32Array, x: number, y: number, size: number): number {
  let a = 0,
    b = 0,
    aa = 0,
    bb = 0,
    ab = 0;
  for (let j = y; j < y + WINDOW; j++)
    for (let i = x; i < x + WINDOW; i++) {
      const p = labA[(j * size + i) * 3],
        q = labB[(j * size + i) * 3];
      a += p;
      b += q;
      aa += p * p;
      bb += q * q;
      ab += p * q;
    }
  const n = WINDOW * WINDOW,
    ma = a / n,
    mb = b / n,
    va = aa / n - ma * ma,
    vb = bb / n - mb * mb,
    cov = ab / n - ma * mb;
  return ((2 * ma * mb + 1) * (2 * cov + 9)) / ((ma * ma + mb * mb + 1) * (va + vb + 9));
}
