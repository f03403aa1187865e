import { degreesOf } from '../geometry/index.ts';
import type { ImageContent, Pixels } from './codec.ts';
import { deltaE2000, toLab } from './color.ts';

/** Texels that are compared. */
const SAMPLES = 8192;

/**
 * How far an image was changed, on the average: ΔE 2000 of colours with what alpha changed in percent, degrees between
 * directions, percent of the range of everything else. So one is about what is just seen, of each.
 * @param other of the same size
 */
export function imageError({ width, data }: Pixels, { data: other }: Pixels, content: ImageContent): number {
  const count = data.length / 4,
    // An odd step meets all columns of images whose sides are powers of two.
    step = Math.max(1, Math.floor(count / SAMPLES)) | 1;
  let sum = 0,
    n = 0;
  for (let i = Math.min(count - 1, width >> 1); i < count; i += step, n++) sum += CHANGE[content](data, other, i * 4);
  return n ? sum / n : 0;
}

type Change = (a: Uint8Array, b: Uint8Array, at: number) => number;
const CHANGE: Record<ImageContent, Change> = {
  color: (a, b, at) =>
    // Colour counts as far as it covers.
    (deltaE2000(toLab([a[at], a[at + 1], a[at + 2]]), toLab([b[at], b[at + 1], b[at + 2]])) *
      Math.min(a[at + 3], b[at + 3])) /
      255 +
    Math.abs(a[at + 3] - b[at + 3]) / 2.55,
  normal: (a, b, at) => degreesBetween(a, at, b, at),
  data: (a, b, at) =>
    Math.max(Math.abs(a[at] - b[at]), Math.abs(a[at + 1] - b[at + 1]), Math.abs(a[at + 2] - b[at + 2])) / 2.55,
};

/** Angle between two directions as normal maps hold them. */
export function degreesBetween(one: ArrayLike<number>, p: number, two: ArrayLike<number>, q: number): number {
  const ax = one[p] - 127.5,
    ay = one[p + 1] - 127.5,
    az = one[p + 2] - 127.5,
    bx = two[q] - 127.5,
    by = two[q + 1] - 127.5,
    bz = two[q + 2] - 127.5,
    x = ay * bz - az * by,
    y = az * bx - ax * bz,
    z = ax * by - ay * bx;
  return degreesOf(Math.sqrt(x * x + y * y + z * z), ax * bx + ay * by + az * bz);
}
