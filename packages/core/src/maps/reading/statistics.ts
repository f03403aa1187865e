import type { Pixels } from '../../pixels/index.ts';

/** What one channel holds, values 0 … 255. */
export interface ChannelStatistics {
  /** How many texels have each value. */
  histogram: Uint32Array;
  mean: number;
  median: number;
  /** Standard deviation. */
  spread: number;
}

/** What an image holds, counted once over all its texels. */
export interface MapStatistics {
  width: number;
  height: number;
  /** Red, green, blue, alpha. */
  channels: readonly [ChannelStatistics, ChannelStatistics, ChannelStatistics, ChannelStatistics];
  /** Mean of |red − green| + |green − blue| over squares of 4 × 4 texels: grain of single texels is no colour. */
  saturation: number;
}

/** @returns counts over every texel; an empty image counts as one black texel */
export function mapStatistics(pixels: Pixels): MapStatistics {
  const { width, height, data } = pixels,
    [r, g, b, a] = Array.from({ length: 4 }, () => new Uint32Array(256));
  for (let i = 0; i + 3 < data.length; i += 4) {
    r[data[i]]++;
    g[data[i + 1]]++;
    b[data[i + 2]]++;
    a[data[i + 3]]++;
  }
  const channels = [r, g, b, a].map(channelStatistics) as unknown as MapStatistics['channels'];
  return { width, height, channels, saturation: saturationOf(pixels) };
}

const SQUARE = 4;
function saturationOf({ width, height, data }: Pixels): number {
  let off = 0,
    squares = 0;
  for (let y = 0; y < height; y += SQUARE)
    for (let x = 0; x < width; x += SQUARE) {
      const right = Math.min(width, x + SQUARE),
        bottom = Math.min(height, y + SQUARE);
      let red = 0,
        green = 0,
        blue = 0;
      for (let v = y; v < bottom; v++)
        for (let i = (v * width + x) * 4, end = (v * width + right) * 4; i < end; i += 4) {
          red += data[i];
          green += data[i + 1];
          blue += data[i + 2];
        }
      off += (Math.abs(red - green) + Math.abs(green - blue)) / ((right - x) * (bottom - y));
      squares++;
    }
  return off / Math.max(1, squares);
}

export function channelStatistics(histogram: Uint32Array): ChannelStatistics {
  let count = 0,
    sum = 0,
    squares = 0;
  for (let value = 0; value < 256; value++) {
    count += histogram[value];
    sum += histogram[value] * value;
    squares += histogram[value] * value * value;
  }
  const mean = count ? sum / count : 0;
  return {
    histogram,
    mean,
    median: valueAt(histogram, count / 2),
    spread: count ? Math.sqrt(Math.max(0, squares / count - mean * mean)) : 0,
  };
}

/** The value below and at which `most` texels lie. */
function valueAt(histogram: Uint32Array, most: number): number {
  let seen = 0;
  for (let value = 0; value < 256; value++) {
    seen += histogram[value];
    if (seen >= most && seen > 0) return value;
  }
  return 0;
}

/** Share of texels from `from` to `to`, both included. */
export function shareOf({ histogram }: ChannelStatistics, from: number, to: number): number {
  let inside = 0,
    all = 0;
  for (let value = 0; value < 256; value++) {
    all += histogram[value];
    if (value >= from && value <= to) inside += histogram[value];
  }
  return all ? inside / all : 0;
}

/** Median of what is neither black nor white, 0 … 1: those lie between islands. Half where nothing is left. */
export function middleValue({ histogram }: ChannelStatistics): number {
  let count = 0;
  for (let value = 2; value < 254; value++) count += histogram[value];
  if (!count) return 0.5;
  let seen = 0;
  for (let value = 2; value < 254; value++) {
    seen += histogram[value];
    if (seen * 2 >= count) return value / 255;
  }
  return 0.5;
}
