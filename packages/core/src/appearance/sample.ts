import { LINEAR } from '../pixels/index.ts';
import type { Slot, Wrap } from './scene.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const light = LINEAR;

/** Red, green, blue and alpha of the last sample, 0 … 1. */
export const texel = new Float64Array(4);

/** Texel beside the edge. */
function wrapped(i: number, size: number, wrap: Wrap): number {
  if (i >= 0 && i < size) return i;
  if (wrap === 'clamp') return i < 0 ? 0 : size - 1;
  if (wrap === 'repeat') return ((i % size) + size) % size;
  const turn = ((i % (2 * size)) + 2 * size) % (2 * size);
  return turn < size ? turn : 2 * size - 1 - turn;
}

/** Bilinear, from one level, into {@link texel}. @param color decodes sRGB */
export function sample({ mips, wrapU, wrapV }: Slot, u: number, v: number, level: number, color: boolean): void {
  const { width, height, data } = mips[level];
  // What repeats is brought into the map first, so that far UVs keep their precision.
  const x = (wrapU === 'repeat' ? u - Math.floor(u) : u) * width - 0.5,
    y = (wrapV === 'repeat' ? v - Math.floor(v) : v) * height - 0.5,
    left = Math.floor(x),
    top = Math.floor(y),
    fx = x - left,
    fy = y - top;
  const x0 = wrapped(left, width, wrapU),
    x1 = wrapped(left + 1, width, wrapU),
    y0 = wrapped(top, height, wrapV) * width,
    y1 = wrapped(top + 1, height, wrapV) * width;
  const a = (y0 + x0) << 2,
    b = (y0 + x1) << 2,
    c = (y1 + x0) << 2,
    d = (y1 + x1) << 2,
    wa = (1 - fx) * (1 - fy),
    wb = fx * (1 - fy),
    wc = (1 - fx) * fy,
    wd = fx * fy;
  if (color) {
    texel[0] = light[data[a]] * wa + light[data[b]] * wb + light[data[c]] * wc + light[data[d]] * wd;
    texel[1] = light[data[a + 1]] * wa + light[data[b + 1]] * wb + light[data[c + 1]] * wc + light[data[d + 1]] * wd;
    texel[2] = light[data[a + 2]] * wa + light[data[b + 2]] * wb + light[data[c + 2]] * wc + light[data[d + 2]] * wd;
  } else {
    texel[0] = (data[a] * wa + data[b] * wb + data[c] * wc + data[d] * wd) / 255;
    texel[1] = (data[a + 1] * wa + data[b + 1] * wb + data[c + 1] * wc + data[d + 1] * wd) / 255;
    texel[2] = (data[a + 2] * wa + data[b + 2] * wb + data[c + 2] * wc + data[d + 2] * wd) / 255;
  }
  texel[3] = (data[a + 3] * wa + data[b + 3] * wb + data[c + 3] * wc + data[d + 3] * wd) / 255;
}
