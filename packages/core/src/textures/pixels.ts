import type { Pixels } from './codec.ts';

/** Normals of a height map by Sobel's gradient; `strength` in texels of height for the full range. Green points up. */
export function normalsFromHeight({ width, height, data }: Pixels, strength = 4): Pixels {
  const out = new Uint8Array(width * height * 4);
  const at = (x: number, y: number) => data[(((y + height) % height) * width + ((x + width) % width)) * 4] / 255;
  for (let y = 0; y < height; y++) for (let x = 0; x < width; x++) {
    const gx = (at(x + 1, y - 1) + 2 * at(x + 1, y) + at(x + 1, y + 1) - at(x - 1, y - 1) - 2 * at(x - 1, y) - at(x - 1, y + 1)) / 8;
    const gy = (at(x - 1, y - 1) + 2 * at(x, y - 1) + at(x + 1, y - 1) - at(x - 1, y + 1) - 2 * at(x, y + 1) - at(x + 1, y + 1)) / 8;
    const nx = -gx * strength, ny = -gy * strength, length = Math.hypot(nx, ny, 1), o = (y * width + x) * 4;
    out[o] = Math.round((nx / length + 1) * 127.5);
    out[o + 1] = Math.round((ny / length + 1) * 127.5);
    out[o + 2] = Math.round((1 / length + 1) * 127.5);
    out[o + 3] = 255;
  }
  return { width, height, data: out };
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
  for (let y = 0; y < color.height; y++) for (let x = 0; x < color.width; x++) out[(y * color.width + x) * 4 + 3] = alpha.data[(Math.floor((y * alpha.height) / color.height) * alpha.width + Math.floor((x * alpha.width) / color.width)) * 4];
  return { width: color.width, height: color.height, data: out };
}

/** Whether all three channels hold the same: a height, not a direction. */
export function isGrey({ data }: Pixels): boolean {
  let off = 0;
  for (let i = 0; i < data.length; i += 4) off += Math.abs(data[i] - data[i + 1]) + Math.abs(data[i + 1] - data[i + 2]);
  return off / Math.max(1, data.length / 4) < 3;
}
