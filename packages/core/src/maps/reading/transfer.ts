import { LINEAR, toSrgb } from '../../pixels/index.ts';
import type { ChannelStatistics, MapStatistics } from './statistics.ts';

/**
 * Whether an image's bytes were made from other bytes by the curve of sRGB: `to-linear`, colours decoded into eight bits;
 * `to-srgb`, data encoded as though they were colours. Both leave values that no byte leads to, and an image that
 * has none of them in a range where others would was made so (a comb in the histogram; Stamm & Liu 2010).
 */
export type Curved = 'no' | 'to-linear' | 'to-srgb';

const reached = (curve: (byte: number) => number): Uint8Array => {
  const out = new Uint8Array(256);
  for (let byte = 0; byte < 256; byte++) out[Math.max(0, Math.min(255, Math.round(curve(byte))))] = 1;
  return out;
};
const BY_DECODING = reached((byte) => LINEAR[byte] * 255);
const BY_ENCODING = reached((byte) => toSrgb(byte / 255));

/** How many texels must lie where a curve leaves gaps, and over how many values of those it reaches. */
const TEXELS = 2000,
  VALUES = 12;

export function judgeCurve({ channels }: MapStatistics): Curved {
  const colors = channels.slice(0, 3);
  if (combed(colors, BY_DECODING, 96, 250)) return 'to-linear';
  if (combed(colors, BY_ENCODING, 4, 110)) return 'to-srgb';
  return 'no';
}

function combed(channels: readonly ChannelStatistics[], reach: Uint8Array, from: number, to: number): boolean {
  let inside = 0,
    outside = 0,
    values = 0,
    missed = 0;
  for (const { histogram } of channels)
    for (let value = from; value <= to; value++) {
      const n = histogram[value];
      if (reach[value]) {
        inside += n;
        if (n) values++;
      } else {
        outside += n;
        // A gap between two values that are there.
        if (!n && histogram[value - 1] && histogram[value + 1]) missed++;
      }
    }
  return inside >= TEXELS && values >= VALUES && missed >= VALUES / 2 && outside <= inside / 5000;
}
