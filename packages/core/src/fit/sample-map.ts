import { LINEAR, type Pixels } from '../pixels/index.ts';

export type Wrapping = 'repeat' | 'clamp' | 'mirror';

/** A map as a material uses it. */
export interface MapSlot {
  pixels: Pixels;
  wrapU: Wrapping;
  wrapV: Wrapping;
  /** u′ = a₀u + a₁v + a₂, v′ = a₃u + a₄v + a₅; as it lies where null. */
  affine: readonly number[] | null;
}

/** More samples a side are not taken of what one texel shows. */
const MOST_SAMPLES = 6;
/** A texel that shows less than this many of the other map, a side, takes the four nearest. */
const FINE = 1.25;

/**
 * What one texel shows of another map: the four nearest texels, or the mean of a grid over its footprint. Colours are averaged
 * in linear light and come out so, 0 … 1; other channels as they stand, 0 … 1.
 * @param foot how many texels of the map it shows, a side
 */
export function sampleMap(
  out: Float64Array,
  { pixels: { width, height, data }, wrapU, wrapV, affine }: MapSlot,
  u: number,
  v: number,
  foot: number,
  isColor: boolean,
): void {
  let s = u,
    t = v;
  if (affine) {
    s = affine[0] * u + affine[1] * v + affine[2];
    t = affine[3] * u + affine[4] * v + affine[5];
  }
  const x = s * width - 0.5,
    y = t * height - 0.5,
    m = foot <= FINE ? 1 : Math.min(MOST_SAMPLES, Math.ceil(foot));
  out[0] = out[1] = out[2] = out[3] = 0;
  for (let i = 0; i < m; i++)
    for (let j = 0; j < m; j++) {
      const fx = m > 1 ? x + ((i + 0.5) / m - 0.5) * foot : x,
        fy = m > 1 ? y + ((j + 0.5) / m - 0.5) * foot : y,
        x0 = Math.floor(fx),
        y0 = Math.floor(fy),
        ax = fx - x0,
        ay = fy - y0,
        left = wrapped(x0, width, wrapU),
        right = wrapped(x0 + 1, width, wrapU),
        top = wrapped(y0, height, wrapV) * width,
        bottom = wrapped(y0 + 1, height, wrapV) * width;
      add(out, data, (top + left) * 4, (1 - ax) * (1 - ay), isColor);
      add(out, data, (top + right) * 4, ax * (1 - ay), isColor);
      add(out, data, (bottom + left) * 4, (1 - ax) * ay, isColor);
      add(out, data, (bottom + right) * 4, ax * ay, isColor);
    }
  const all = m * m;
  for (let k = 0; k < 4; k++) out[k] /= all;
}

const linear = LINEAR;
function add(out: Float64Array, data: Uint8Array, at: number, share: number, isColor: boolean): void {
  if (isColor) {
    out[0] += share * linear[data[at]];
    out[1] += share * linear[data[at + 1]];
    out[2] += share * linear[data[at + 2]];
  } else {
    out[0] += (share * data[at]) / 255;
    out[1] += (share * data[at + 1]) / 255;
    out[2] += (share * data[at + 2]) / 255;
  }
  out[3] += (share * data[at + 3]) / 255;
}

function wrapped(i: number, size: number, how: Wrapping): number {
  if (i >= 0 && i < size) return i;
  if (how === 'clamp') return i < 0 ? 0 : size - 1;
  const period = how === 'mirror' ? 2 * size : size,
    at = ((i % period) + period) % period;
  return at < size ? at : period - 1 - at;
}
