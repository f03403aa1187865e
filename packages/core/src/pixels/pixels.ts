import type { Heights, Pixels } from './codec.ts';
import { encodedByte, LINEAR } from './color.ts';

/**
 * Normals of a height map by Sobel's gradient: slope = height × texels per metre, so that the same bump tilts alike at
 * every size of its map. Green points up.
 * @param texelHeights height of the map's full range, in texels of this map: metres × texels per metre
 * @param wraps whether its edges meet their opposites; else they lie flat beyond
 */
export function normalsFromHeight(
  { width, height, data }: Pixels | Heights,
  texelHeights: number,
  wraps = false,
): Pixels {
  const out = new Uint8Array(width * height * 4),
    fine = data instanceof Uint16Array,
    stride = fine ? 1 : 4,
    // Whole numbers until here: full heights, eight times over.
    full = fine ? 8 * 65535 : 8 * 255,
    fold = (i: number, size: number) => (wraps ? (i + size) % size : Math.max(0, Math.min(size - 1, i)));
  for (let y = 0; y < height; y++) {
    const above = fold(y - 1, height) * width,
      row = y * width,
      below = fold(y + 1, height) * width;
    for (let x = 0; x < width; x++) {
      const left = x > 0 ? x - 1 : fold(-1, width),
        right = x + 1 < width ? x + 1 : fold(width, width);
      const gx =
        data[(above + right) * stride] +
        2 * data[(row + right) * stride] +
        data[(below + right) * stride] -
        data[(above + left) * stride] -
        2 * data[(row + left) * stride] -
        data[(below + left) * stride];
      const gy =
        data[(above + left) * stride] +
        2 * data[(above + x) * stride] +
        data[(above + right) * stride] -
        data[(below + left) * stride] -
        2 * data[(below + x) * stride] -
        data[(below + right) * stride];
      const nx = (-gx / full) * texelHeights,
        ny = (-gy / full) * texelHeights,
        scale = 127.5 / Math.sqrt(nx * nx + ny * ny + 1),
        o = (row + x) * 4;
      out[o] = Math.round(nx * scale + 127.5);
      out[o + 1] = Math.round(ny * scale + 127.5);
      out[o + 2] = Math.round(scale + 127.5);
      out[o + 3] = 255;
    }
  }
  return { width, height, data: out };
}

/** Where the texel of a map lies, in its bytes, that is nearest to one of a picture of another size. */
export const nearestTexel = (map: Size, x: number, y: number, { width, height }: Size): number =>
  (Math.floor((y * map.height) / height) * map.width + Math.floor((x * map.width) / width)) * 4;
/** A channel between the four texels nearest to a place, 0 … 1, as it stands; pictures repeat. */
export function between({ width, height, data }: Pixels, u: number, v: number, channel: number): number {
  const x = u * width - 0.5,
    y = v * height - 0.5,
    left = Math.floor(x),
    top = Math.floor(y),
    value = (i: number, j: number) => data[(((j + height) % height) * width + ((i + width) % width)) * 4 + channel];
  const above = value(left, top) + (value(left + 1, top) - value(left, top)) * (x - left),
    below = value(left, top + 1) + (value(left + 1, top + 1) - value(left, top + 1)) * (x - left);
  return above + (below - above) * (y - top);
}

interface Size {
  width: number;
  height: number;
}

/**
 * Roughness and metalness as glTF packs them: green and blue, red and alpha full. The size is the larger of both; a map
 * that isn't there counts as full, so that its factor alone speaks.
 * @param green channel of `roughness` that holds it
 */
export function packSurface(roughness: Pixels | null, metallic: Pixels | null, green: 0 | 1 = 0): Pixels {
  const width = Math.max(roughness?.width ?? 1, metallic?.width ?? 1),
    height = Math.max(roughness?.height ?? 1, metallic?.height ?? 1),
    size = { width, height },
    data = new Uint8Array(width * height * 4).fill(255);
  const value = (map: Pixels | null, x: number, y: number, channel: number) =>
    map ? map.data[nearestTexel(map, x, y, size) + channel] : 255;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * 4;
      data[o + 1] = value(roughness, x, y, green);
      data[o + 2] = value(metallic, x, y, 0);
    }
  return { width, height, data };
}

/** One or more channels the other way round. */
export function inverted({ width, height, data }: Pixels, channels: readonly (0 | 1 | 2)[]): Pixels {
  const out = Uint8Array.from(data);
  for (const channel of channels) for (let i = channel; i < out.length; i += 4) out[i] = 255 - out[i];
  return { width, height, data: out };
}

/** Colour with another image's red as its alpha, taken at the nearest texel where sizes differ. */
export function withAlpha(color: Pixels, alpha: Pixels): Pixels {
  const out = Uint8Array.from(color.data);
  for (let y = 0; y < color.height; y++)
    for (let x = 0; x < color.width; x++)
      out[(y * color.width + x) * 4 + 3] = alpha.data[nearestTexel(alpha, x, y, color)];
  return { width: color.width, height: color.height, data: out };
}

/** sRGB bytes as linear light in eight bits, and back. */
export const linearCurve = Uint8Array.from({ length: 256 }, (_, byte) => Math.round(LINEAR[byte] * 255));
export const encodedCurve = Uint8Array.from({ length: 256 }, (_, byte) => encodedByte(byte / 255));

/** Every channel but alpha through a curve. @param curve 256 values */
export function recoded({ width, height, data }: Pixels, curve: Uint8Array): Pixels {
  const out = Uint8Array.from(data);
  for (let i = 0; i < out.length; i += 4) {
    out[i] = curve[out[i]];
    out[i + 1] = curve[out[i + 1]];
    out[i + 2] = curve[out[i + 2]];
  }
  return { width, height, data: out };
}

/** Normals whose third direction follows from the other two, of length one. @param inAlpha the first lies in alpha */
export function withThird({ width, height, data }: Pixels, inAlpha: boolean): Pixels {
  const out = new Uint8Array(data.length).fill(255);
  for (let i = 0; i < data.length; i += 4) {
    const red = data[inAlpha ? i + 3 : i],
      x = red / 127.5 - 1,
      y = data[i + 1] / 127.5 - 1;
    out[i] = red;
    out[i + 1] = data[i + 1];
    out[i + 2] = Math.round((Math.sqrt(Math.max(0, 1 - x * x - y * y)) + 1) * 127.5);
  }
  return { width, height, data: out };
}

type Letter = 'r' | 'g' | 'b' | 'a';
const AT: Record<Letter, number> = { r: 0, g: 1, b: 2, a: 3 };

/** Occlusion, roughness and metalness as glTF has them, of an image with its channels in another order; gloss is turned. */
export function packOrdered(
  { width, height, data }: Pixels,
  from: Partial<Record<'occlusion' | 'roughness' | 'gloss' | 'metalness', Letter>>,
): Pixels {
  const out = new Uint8Array(data.length).fill(255),
    rough = from.roughness ?? from.gloss,
    turned = from.roughness ? 0 : 255;
  for (let i = 0; i < data.length; i += 4) {
    if (from.occlusion) out[i] = data[i + AT[from.occlusion]];
    if (rough) out[i + 1] = turned ^ data[i + AT[rough]];
    out[i + 2] = from.metalness ? data[i + AT[from.metalness]] : 0;
  }
  return { width, height, data: out };
}
