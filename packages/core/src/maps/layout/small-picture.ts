import type { Pixels } from '../../pixels/index.ts';

/** A map made small: red, green and blue as bytes say, 0 … 255, three numbers a texel. */
export interface SmallPicture {
  width: number;
  height: number;
  values: Float32Array;
}
const SIDE = 256;

/** Means of as many texels as it takes to have no side longer than 256. */
export function smallPicture({ width, height, data }: Pixels): SmallPicture {
  const across = Math.ceil(width / SIDE),
    down = Math.ceil(height / SIDE),
    w = Math.max(1, Math.floor(width / across)),
    h = Math.max(1, Math.floor(height / down)),
    values = new Float32Array(w * h * 3),
    share = 1 / (across * down);
  for (let y = 0; y < h * down; y++) {
    const row = Math.floor(y / down) * w;
    for (let x = 0; x < w * across; x++) {
      const to = (row + Math.floor(x / across)) * 3,
        from = (y * width + x) * 4;
      values[to] += data[from] * share;
      values[to + 1] += data[from + 1] * share;
      values[to + 2] += data[from + 2] * share;
    }
  }
  return { width: w, height: h, values };
}
