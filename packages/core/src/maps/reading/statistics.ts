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

/** What an image holds, counted once. */
export interface MapStatistics {
  width: number;
  height: number;
  /** Red, green, blue, alpha. */
  channels: readonly [ChannelStatistics, ChannelStatistics, ChannelStatistics, ChannelStatistics];
  /** Mean of |red − green| + |green − blue| over squares of 4 × 4 texels: grain of single texels is no colour. */
  saturation: number;
}

/** Side of the squares that are counted, texels, and about how many texels are counted in all: the rest says the same. */
const SQUARE = 4,
  COUNTED = 262_144;

/** @returns counts over an even grid of squares of texels, over all of them where there are few; an empty image counts nothing */
export function mapStatistics({ width, height, data }: Pixels): MapStatistics {
  const [r, g, b, a] = Array.from({ length: 4 }, () => new Uint32Array(256)),
    // Odd, so that no tiling picture falls in step with it.
    apart = SQUARE * (2 * Math.floor(Math.sqrt((width * height) / COUNTED) / 2) + 1);
  let off = 0,
    squares = 0;
  for (let y = 0; y < height; y += apart)
    for (let x = 0; x < width; x += apart) {
      const right = Math.min(width, x + SQUARE),
        bottom = Math.min(height, y + SQUARE);
      let red = 0,
        green = 0,
        blue = 0;
      for (let v = y; v < bottom; v++)
        for (let i = (v * width + x) * 4, end = (v * width + right) * 4; i < end; i += 4) {
          const one = data[i],
            two = data[i + 1],
            three = data[i + 2];
          red += one;
          green += two;
          blue += three;
          r[one]++;
          g[two]++;
          b[three]++;
          a[data[i + 3]]++;
        }
      off += (Math.abs(red - green) + Math.abs(green - blue)) / ((right - x) * (bottom - y));
      squares++;
    }
  const channels = [r, g, b, a].map(channelStatistics) as unknown as MapStatistics['channels'];
  return { width, height, channels, saturation: off / Math.max(1, squares) };
}

/** Whether every texel is the first one, grain of compression aside. */
export function isOneValue({ data }: Pixels): boolean {
  for (let i = 4; i < data.length; i++) if (Math.abs(data[i] - data[i & 3]) > 3) return false;
  return true;
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
