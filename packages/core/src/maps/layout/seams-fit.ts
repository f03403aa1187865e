import type { SmallPicture } from './small-picture.ts';

/** With fewer places nothing can be said. */
const LEAST_PAIRS = 24;
/** A map whose places differ by less than this, of 255, is too even to tell. */
const EVEN = 2.5;
/** How many others each place is held against. */
const OTHERS = 5;

/**
 * How much a map differs across the seams of a layout, in parts of how much it differs between places anywhere beside them:
 * about 0 where it was painted for the layout, about 1 where it has nothing to do with it. Null where it can't be told.
 * @param seams four numbers a pair, of `seamPlaces`
 */
export function seamsFit(picture: SmallPicture, seams: ArrayLike<number>): number | null {
  const pairs = Math.floor(seams.length / 4);
  if (pairs < LEAST_PAIRS) return null;
  const one = new Float32Array(pairs * 3),
    other = new Float32Array(pairs * 3);
  for (let i = 0; i < pairs; i++) {
    take(one, i * 3, picture, seams[i * 4], seams[i * 4 + 1]);
    take(other, i * 3, picture, seams[i * 4 + 2], seams[i * 4 + 3]);
  }
  let across = 0,
    anywhere = 0;
  for (let i = 0; i < pairs; i++) {
    across += apart(one, i, other, i);
    for (let k = 1; k <= OTHERS; k++)
      anywhere += apart(one, i, other, (i + Math.ceil((k * pairs) / (OTHERS + 1))) % pairs) / OTHERS;
  }
  return anywhere / pairs < EVEN ? null : across / anywhere;
}

function take(out: Float32Array, at: number, { width, height, values }: SmallPicture, u: number, v: number): void {
  const x = Math.min(width - 1, Math.max(0, Math.floor(u * width))),
    y = Math.min(height - 1, Math.max(0, Math.floor(v * height)));
  out.set(values.subarray((y * width + x) * 3, (y * width + x) * 3 + 3), at);
}

const apart = (a: Float32Array, i: number, b: Float32Array, j: number): number =>
  (Math.abs(a[i * 3] - b[j * 3]) + Math.abs(a[i * 3 + 1] - b[j * 3 + 1]) + Math.abs(a[i * 3 + 2] - b[j * 3 + 2])) / 3;
