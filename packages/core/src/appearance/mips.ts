import { encodedByte, LINEAR, type Pixels } from '../pixels/index.ts';

// Taken over once: under test an imported name is asked for at every use, which these loops make millions of.
const light = LINEAR,
  byteOf = encodedByte;

/** A map from its full size down to one texel, each level half of the one before. RGBA, straight alpha. */
export type Mips = readonly Pixels[];

/** How a map's three channels are averaged: colour in linear light, everything else as it stands. */
export type Content = 'color' | 'data';

/** Mip levels as engines make them: each texel the mean of up to four of the level before. */
export function mipsOf(pixels: Pixels, content: Content): Mips {
  const levels = [pixels];
  for (let last = pixels; last.width > 1 || last.height > 1; ) {
    last = content === 'color' ? halvedColor(last) : halvedData(last);
    levels.push(last);
  }
  return levels;
}

/** Where the four texels of a texel of the smaller level begin. */
function halving({ width, height }: Pixels) {
  const w = Math.max(1, width >> 1),
    h = Math.max(1, height >> 1);
  return { w, h, right: width > 1 ? 4 : 0, down: height > 1 ? width * 4 : 0 };
}

function halvedColor(from: Pixels): Pixels {
  const { w, h, right, down } = halving(from),
    { data, width } = from,
    out = new Uint8Array(w * h * 4);
  for (let y = 0, to = 0; y < h; y++)
    for (let x = 0, a = y * (down ? 2 : 1) * width * 4; x < w; x++, to += 4, a += right ? 8 : 4) {
      const b = a + right,
        c = a + down,
        d = c + right;
      for (let k = 0; k < 3; k++)
        out[to + k] = byteOf((light[data[a + k]] + light[data[b + k]] + light[data[c + k]] + light[data[d + k]]) / 4);
      out[to + 3] = (data[a + 3] + data[b + 3] + data[c + 3] + data[d + 3] + 2) >> 2;
    }
  return { width: w, height: h, data: out };
}

function halvedData(from: Pixels): Pixels {
  const { w, h, right, down } = halving(from),
    { data, width } = from,
    out = new Uint8Array(w * h * 4);
  for (let y = 0, to = 0; y < h; y++)
    for (let x = 0, a = y * (down ? 2 : 1) * width * 4; x < w; x++, a += right ? 8 : 4)
      for (let k = 0; k < 4; k++, to++)
        out[to] = (data[a + k] + data[a + right + k] + data[a + down + k] + data[a + down + right + k] + 2) >> 2;
  return { width: w, height: h, data: out };
}

/**
 * How much of each texel a cut-out map covers: cut at full size, then averaged. What the map means; what is drawn is the
 * averaged alpha, cut.
 */
export function coverageMips({ width, height, data }: Pixels, cutoff: number): Mips {
  const cut = new Uint8Array(data.length);
  for (let i = 3; i < data.length; i += 4) cut[i] = data[i] >= cutoff * 255 ? 255 : 0;
  return mipsOf({ width, height, data: cut }, 'data');
}

/** The level whose texels are nearest to `footprint` texels of the full size. */
export function levelFor(mips: { length: number }, footprint: number): number {
  let level = 0;
  // Rounded on a scale of doublings: √2 lies in the middle between one and two.
  for (let edge = Math.SQRT2; footprint > edge && level < mips.length - 1; edge *= 2) level++;
  return level;
}
