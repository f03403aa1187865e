import type { Pixels } from '../../pixels/index.ts';

/** How a normal map's green channel is meant; `unclear` where the pixels don't say. */
export interface GreenFound {
  points: 'up' | 'down' | 'unclear';
  /** How much worse the other way fits. */
  ratio: number;
}

/** Side of the squares that are looked at, texels, and how many of them. */
const SQUARE = 256,
  SQUARES = 6;
/** Levels at which slopes are looked at: each half the size of the one before. Grain goes, hills stay. */
const LEVELS = 5;
/** Likeness of both derivatives, and how far beyond chance it must lie, before it counts. */
const ALIKE = 0.12,
  BEYOND_CHANCE = 9;
/** Below this a derivative is nothing but rounding; above the other a border of islands. */
const STEEPEST = 0.8;

/**
 * Which way green points: slopes of a height field have no curl, so with p = −nx/nz along the row and q = −ny/nz up the
 * column, ∂p/∂y = ∂q/∂x holds for the right convention and its opposite for the other (Agrawal, Raskar & Chellappa
 * 2006 on integrability). Likeness of both is measured where maps have most to say, at five levels of detail, since
 * averaging slopes keeps them slopes of a height while grain and rounding go. A map whose hills are all stripes along
 * rows and columns says nothing.
 */
export function judgeGreen(pixels: Pixels): GreenFound {
  const sums = Array.from({ length: LEVELS }, () => ({ pq: 0, pp: 0, qq: 0, n: 0 }));
  for (const [x, y, side] of squaresOf(pixels)) addSquare(pixels, x, y, side, sums);
  let best = 0,
    ratio = 1;
  const said: number[] = [];
  for (const { pq, pp, qq, n } of sums) {
    if (!(pp > 0 && qq > 0)) continue;
    const alike = pq / Math.sqrt(pp * qq),
      beyond = Math.abs(alike) * Math.sqrt(n / 4);
    if (Math.abs(alike) < ALIKE || beyond < BEYOND_CHANCE) continue;
    said.push(alike);
    if (Math.abs(alike) <= Math.abs(best)) continue;
    best = alike;
    const turned = pp + qq + 2 * Math.abs(pq),
      right = pp + qq - 2 * Math.abs(pq);
    ratio = turned / Math.max(turned * 1e-3, right);
  }
  // Levels that contradict each other say that this is no height's slopes.
  const agreeing = said.every((alike) => Math.sign(alike) === Math.sign(best) || Math.abs(alike) * 3 < Math.abs(best));
  if (!best || !agreeing) return { points: 'unclear', ratio: 1 };
  return { points: best > 0 ? 'up' : 'down', ratio };
}

/** The squares in which red and green vary most, of all that fit; the whole where it is small. */
function squaresOf({ width, height, data }: Pixels): [number, number, number][] {
  if (width <= SQUARE * 1.5 || height <= SQUARE * 1.5) return [[0, 0, Math.max(width, height)]];
  const all: { at: [number, number, number]; varies: number }[] = [];
  for (let y = 0; y + SQUARE <= height; y += SQUARE)
    for (let x = 0; x + SQUARE <= width; x += SQUARE) {
      let n = 0,
        sum = 0,
        squares = 0;
      for (let v = 0; v < SQUARE; v += 5)
        for (let u = 0; u < SQUARE; u += 5) {
          const i = ((y + v) * width + x + u) * 4,
            value = data[i] + data[i + 1];
          sum += value;
          squares += value * value;
          n++;
        }
      // What is half empty has borders, and those vary most.
      const varies = Math.min(squares / n - (sum / n) ** 2, 2500);
      all.push({ at: [x, y, SQUARE], varies });
    }
  return all
    .sort((one, other) => other.varies - one.varies)
    .slice(0, SQUARES)
    .map(({ at }) => at);
}

interface Sums {
  pq: number;
  pp: number;
  qq: number;
  n: number;
}

function addSquare({ width, height, data }: Pixels, left: number, top: number, side: number, sums: Sums[]): void {
  let w = Math.min(side, width - left),
    h = Math.min(side, height - top);
  let p = new Float32Array(w * h),
    q = new Float32Array(w * h),
    there = new Float32Array(w * h);
  for (let y = 0; y < h; y++)
    for (let x = 0; x < w; x++) {
      const i = ((top + y) * width + left + x) * 4,
        nx = data[i] / 127.5 - 1,
        ny = data[i + 1] / 127.5 - 1,
        nz = data[i + 2] / 127.5 - 1,
        length = Math.sqrt(nx * nx + ny * ny + nz * nz),
        at = y * w + x;
      if (length < 0.6 || length > 1.4 || nz < 0.15) continue;
      p[at] = -nx / nz;
      q[at] = -ny / nz;
      there[at] = 1;
    }
  for (const level of sums) {
    addLevel(p, q, there, w, h, level);
    if (w < 16 || h < 16) return;
    [p, q, there] = [halved(p, w, h), halved(q, w, h), halved(there, w, h)];
    w >>= 1;
    h >>= 1;
  }
}

function addLevel(p: Float32Array, q: Float32Array, there: Float32Array, w: number, h: number, sums: Sums): void {
  for (let y = 1; y + 1 < h; y++)
    for (let x = 1; x + 1 < w; x++) {
      const i = y * w + x;
      if (there[i - w] < 1 || there[i + w] < 1 || there[i - 1] < 1 || there[i + 1] < 1) continue;
      // Rows count downwards, so up the column is towards smaller ones.
      const dp = (p[i - w] - p[i + w]) / 2,
        dq = (q[i + 1] - q[i - 1]) / 2,
        strong = Math.abs(dp) + Math.abs(dq);
      if (strong === 0 || strong > STEEPEST) continue;
      sums.pq += dp * dq;
      sums.pp += dp * dp;
      sums.qq += dq * dq;
      sums.n++;
    }
}

/** Means of 2 × 2. */
function halved(values: Float32Array, w: number, h: number): Float32Array<ArrayBuffer> {
  const to = w >> 1,
    out = new Float32Array(to * (h >> 1));
  for (let y = 0; y < h >> 1; y++)
    for (let x = 0; x < to; x++) {
      const i = 2 * y * w + 2 * x;
      out[y * to + x] = (values[i] + values[i + 1] + values[i + w] + values[i + w + 1]) / 4;
    }
  return out;
}
