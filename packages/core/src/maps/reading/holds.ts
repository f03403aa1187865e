import { LINEAR, type Pixels, toSrgb } from '../../pixels/index.ts';
import type { MapStatistics } from './statistics.ts';

/**
 * What an image holds by its pixels alone. `normal` as glTF has them; `normal-encoded` and `normal-decoded` went through
 * the curve of sRGB once too often, one way or the other; `normal-two` keep x and y in red and green, `normal-alpha` in
 * alpha and green; `normal-object` are directions of the whole figure, which no deformed surface can use.
 */
export const HOLDINGS = [
  'constant',
  'grey',
  'normal',
  'normal-encoded',
  'normal-decoded',
  'normal-two',
  'normal-alpha',
  'normal-object',
  'color',
] as const;
export type Holding = (typeof HOLDINGS)[number];

/** A channel that spreads less than this holds one value, grain of compression aside. */
const STILL = 0.6;
/** Below this mean of |r − g| + |g − b| a picture is grey. */
export const GREY = 5;
/** How far four of five directions may be from length one. */
const LENGTH_OFF = 0.09;
/** How far directions of a tangent space may lean on the average; where compression bent them, those that stand upright on the whole pass. */
const LEAN = 0.2,
  ROUGHLY = 0.16,
  UPRIGHT = 0.06;
/** Blue that is no third direction stays as it is, grain of compression aside. */
const NO_THIRD = 12;
/** Texels that are looked at. */
const LOOKS = 65_536;

const AS_IS = Float32Array.from({ length: 256 }, (_, byte) => byte / 255);
const ENCODED = Float32Array.from({ length: 256 }, (_, byte) => toSrgb(byte / 255) / 255);
const CURVES: readonly (readonly ['normal' | 'normal-encoded' | 'normal-decoded', Float32Array])[] = [
  ['normal', AS_IS],
  ['normal-encoded', LINEAR],
  ['normal-decoded', ENCODED],
];
/** How far the middle of red and of green may be from level. */
const OFF_MIDDLE = 0.2;

export function judgeHolding(pixels: Pixels, { channels, saturation }: MapStatistics): Holding {
  const [r, g, b, a] = channels;
  if (channels.slice(0, 3).every((channel) => channel.spread < STILL))
    return a.spread > 8 && flatMiddle(a.median) && flatMiddle(g.median) ? 'normal-alpha' : 'constant';
  if (saturation < GREY) {
    // Grey beside an alpha that varies about the middle: x lies there.
    return a.spread > 1.5 && flatMiddle(a.median) && flatMiddle(g.median) ? 'normal-alpha' : 'grey';
  }
  if (r.spread < STILL && b.spread < STILL && a.spread > 1 && flatMiddle(a.median) && flatMiddle(g.median))
    return 'normal-alpha';
  // A look at the middle values spares most pictures the rest.
  const upright = (curve: Float32Array): boolean =>
    Math.abs(curve[r.median] - 0.5) < OFF_MIDDLE &&
    Math.abs(curve[g.median] - 0.5) < OFF_MIDDLE &&
    curve[b.median] > 0.6;
  const readings = CURVES.flatMap(([as, curve]) => (upright(curve) ? [{ as, ...directions(pixels, curve) }] : []));
  const good = readings
    .filter(({ off, lean, up }) => up > 0.5 && ((off < LENGTH_OFF && lean < LEAN) || (off < ROUGHLY && lean < UPRIGHT)))
    .sort((one, other) => one.off + one.lean - other.off - other.lean);
  if (flatMiddle(r.median) && flatMiddle(g.median) && b.spread < NO_THIRD && lacksThird(pixels)) return 'normal-two';
  if (good.length) return good[0].as;
  if (Math.min(r.spread, g.spread, b.spread) > 20) {
    const { off, up } = directions(pixels, AS_IS);
    if (off < LENGTH_OFF && up <= 0.5) return 'normal-object';
  }
  return 'color';
}

const flatMiddle = (median: number): boolean => Math.abs(median - 127.5) < 14;

/** How near what an image says is to directions of length one, under a curve for its values. */
function directions({ data }: Pixels, curve: Float32Array): { off: number; lean: number; up: number } {
  const texels = data.length / 4,
    stride = Math.max(1, Math.floor(texels / LOOKS)) * 4,
    offs = new Uint32Array(256);
  let n = 0,
    sx = 0,
    sy = 0,
    sz = 0;
  for (let i = 0; i < data.length; i += stride) {
    // Black and white lie between islands.
    if ((data[i] | data[i + 1] | data[i + 2]) === 0 || (data[i] & data[i + 1] & data[i + 2]) === 255) continue;
    const x = curve[data[i]] * 2 - 1,
      y = curve[data[i + 1]] * 2 - 1,
      z = curve[data[i + 2]] * 2 - 1;
    offs[Math.min(255, Math.round(Math.abs(Math.sqrt(x * x + y * y + z * z) - 1) * 255))]++;
    sx += x;
    sy += y;
    sz += z;
    n++;
  }
  if (!n) return { off: 1, lean: 1, up: 0 };
  let seen = 0,
    off = 1;
  for (let value = 0; value < 256; value++) {
    seen += offs[value];
    // Most of them: a picture may have unit colours here and there, directions have them everywhere.
    if (seen >= n * 0.8) {
      off = value / 255;
      break;
    }
  }
  return { off, lean: Math.hypot(sx / n, sy / n), up: sz / n };
}

/** Whether blue is no third direction to red and green: far from √(1 − x² − y²) where that says something. */
function lacksThird({ data }: Pixels): boolean {
  const stride = Math.max(1, Math.floor(data.length / 4 / LOOKS)) * 4;
  let n = 0,
    should = 0,
    is = 0;
  for (let i = 0; i < data.length; i += stride, n++) {
    const x = data[i] / 127.5 - 1,
      y = data[i + 1] / 127.5 - 1;
    should += Math.sqrt(Math.max(0, 1 - x * x - y * y));
    is += data[i + 2] / 127.5 - 1;
  }
  const left = 1 - should / Math.max(1, n);
  return (left > 0.03 && Math.abs(is - should) / n > 0.6 * left) || is / n < -0.2;
}
