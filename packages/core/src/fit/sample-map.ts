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
  if (m === 1) {
    nearestFour(out, data, width, height, wrapU, wrapV, x, y, isColor);
    return;
  }
  out[0] = out[1] = out[2] = out[3] = 0;
  for (let i = 0; i < m; i++)
    for (let j = 0; j < m; j++) {
      const fx = x + ((i + 0.5) / m - 0.5) * foot,
        fy = y + ((j + 0.5) / m - 0.5) * foot,
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

/** Between the four nearest texels: what most texels of a map take, in one go. */
function nearestFour(
  out: Float64Array,
  data: Uint8Array,
  width: number,
  height: number,
  wrapU: Wrapping,
  wrapV: Wrapping,
  x: number,
  y: number,
  isColor: boolean,
): void {
  const x0 = Math.floor(x),
    y0 = Math.floor(y),
    ax = x - x0,
    ay = y - y0,
    isInside = x0 >= 0 && y0 >= 0 && x0 + 1 < width && y0 + 1 < height,
    left = isInside ? x0 : wrapped(x0, width, wrapU),
    right = isInside ? x0 + 1 : wrapped(x0 + 1, width, wrapU),
    top = (isInside ? y0 : wrapped(y0, height, wrapV)) * width,
    bottom = (isInside ? y0 + 1 : wrapped(y0 + 1, height, wrapV)) * width,
    a = (top + left) * 4,
    b = (top + right) * 4,
    c = (bottom + left) * 4,
    d = (bottom + right) * 4,
    wa = (1 - ax) * (1 - ay),
    wb = ax * (1 - ay),
    wc = (1 - ax) * ay,
    wd = ax * ay;
  if (isColor) {
    out[0] = wa * linear[data[a]] + wb * linear[data[b]] + wc * linear[data[c]] + wd * linear[data[d]];
    out[1] = wa * linear[data[a + 1]] + wb * linear[data[b + 1]] + wc * linear[data[c + 1]] + wd * linear[data[d + 1]];
    out[2] = wa * linear[data[a + 2]] + wb * linear[data[b + 2]] + wc * linear[data[c + 2]] + wd * linear[data[d + 2]];
  } else {
    out[0] = (wa * data[a] + wb * data[b] + wc * data[c] + wd * data[d]) / 255;
    out[1] = (wa * data[a + 1] + wb * data[b + 1] + wc * data[c + 1] + wd * data[d + 1]) / 255;
    out[2] = (wa * data[a + 2] + wb * data[b + 2] + wc * data[c + 2] + wd * data[d + 2]) / 255;
  }
  out[3] = (wa * data[a + 3] + wb * data[b + 3] + wc * data[c + 3] + wd * data[d + 3]) / 255;
}

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
