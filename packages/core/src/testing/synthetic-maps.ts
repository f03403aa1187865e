import sharp from 'sharp';
import { seededRandom } from '../geometry/index.ts';
import type { Pixels } from '../pixels/index.ts';

/** Ways a surface can be, each hard on its own for whoever reads a map of it. */
export const SURFACES = ['smooth', 'noisy', 'tiling', 'sparse', 'nearly flat', '16 bits', 'JPEG at 40'] as const;
export type SurfaceStyle = (typeof SURFACES)[number];
const SIDE = 256;

const known = new Map<string, Float64Array>();
/** Heights 0 … 1, row by row; each made once. */
export function heights(style: SurfaceStyle, seed: number): Float64Array {
  const key = `${style} ${seed}`,
    made = known.get(key) ?? makeHeights(style, seed);
  known.set(key, made);
  return made;
}
function makeHeights(style: SurfaceStyle, seed: number): Float64Array {
  const side = SIDE,
    random = seededRandom(seed),
    out = new Float64Array(side * side);
  if (style === 'tiling') {
    // A weave: threads over and under, the same in every tile.
    const threads = 10 + 2 * Math.floor(random() * 4),
      skew = random() * 6;
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++) {
        const u = (x / side) * threads * 2 * Math.PI,
          v = (y / side) * threads * 2 * Math.PI + skew;
        out[y * side + x] = 0.5 + 0.25 * Math.sin(u) * Math.cos(v) + 0.15 * Math.sin(u + v);
      }
    return out;
  }
  if (style === 'sparse') {
    const spots = Array.from({ length: 9 }, () => [random() * side, random() * side, 5 + random() * 9]);
    for (let y = 0; y < side; y++)
      for (let x = 0; x < side; x++)
        for (const [cx, cy, r] of spots) {
          const d = ((x - cx) ** 2 + (y - cy) ** 2) / (r * r);
          if (d < 9) out[y * side + x] += 0.8 * Math.exp(-d);
        }
    return out;
  }
  const waves = Array.from({ length: 18 }, (_, i) => {
    const turn = random() * 2 * Math.PI,
      often = 0.02 * 1.24 ** i;
    return [Math.cos(turn) * often, Math.sin(turn) * often, random() * 6.3, 1 / (1 + i * 0.4)];
  });
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++)
      out[y * side + x] =
        0.5 + waves.reduce((sum, [a, b, c, strength]) => sum + strength * Math.sin(x * a + y * b + c), 0) / 12;
  return out;
}

const grey = (values: Float64Array): Pixels => {
  const data = new Uint8Array(values.length * 4).fill(255);
  values.forEach((value, i) => data.fill(Math.max(0, Math.min(255, Math.round(value * 255))), i * 4, i * 4 + 3));
  return { width: Math.sqrt(values.length), height: Math.sqrt(values.length), data };
};

/** A bump map. */
export const bumps = (style: SurfaceStyle, seed: number): Pixels => grained(grey(heights(style, seed)), style, seed);
/** Normals of a surface, green up. */
export function normals(style: SurfaceStyle, seed: number): Pixels {
  // Eight bits of height would come as steps into the normals.
  const values = heights(style, seed),
    side = Math.sqrt(values.length),
    data = new Uint8Array(values.length * 4).fill(255),
    deep = style === 'nearly flat' ? 0.6 : style === 'tiling' ? 9 : 12,
    at = (x: number, y: number) => values[((y + side) % side) * side + ((x + side) % side)];
  for (let y = 0; y < side; y++)
    for (let x = 0; x < side; x++) {
      const nx = -(at(x + 1, y) - at(x - 1, y)) * 0.5 * deep,
        ny = (at(x, y + 1) - at(x, y - 1)) * 0.5 * deep,
        length = Math.hypot(nx, ny, 1),
        o = (y * side + x) * 4;
      data[o] = Math.round((nx / length + 1) * 127.5);
      data[o + 1] = Math.round((ny / length + 1) * 127.5);
      data[o + 2] = Math.round((1 / length + 1) * 127.5);
    }
  return grained({ width: side, height: side, data }, style, seed);
}

/** Grain in every channel of its own, where the style has it. */
function grained(pixels: Pixels, style: SurfaceStyle, seed: number): Pixels {
  if (style !== 'noisy') return pixels;
  const random = seededRandom(seed + 1000);
  for (let i = 0; i < pixels.data.length; i++)
    if ((i & 3) !== 3)
      pixels.data[i] = Math.max(0, Math.min(255, Math.round(pixels.data[i] + (random() + random() - 1) * 14)));
  return pixels;
}

/** A channel of values about `middle`, ± `spread`. */
export function around(middle: number, spread: number, seed: number): Float64Array {
  const values = heights('smooth', seed);
  return values.map((value) => Math.max(0, Math.min(1, middle + (value - 0.5) * 2 * spread)));
}
/** On or off: on for `share` of it, in patches. */
export function patches(share: number, seed: number): Float64Array {
  const values = heights('smooth', seed),
    cut = Float64Array.from(values).sort()[Math.floor(values.length * (1 - share))] ?? 2;
  return values.map((value) => (share > 0 && value > cut ? 1 : 0));
}
/** Mostly white, darker in creases. */
export const creases = (seed: number): Float64Array =>
  heights('smooth', seed).map((value) => Math.min(1, 0.72 + value * 0.6));

/** Up to four channels as an image; what isn't given is as `rest`. */
export function channels(given: Partial<Record<'r' | 'g' | 'b' | 'a', Float64Array>>, rest = 0): Pixels {
  const n = Object.values(given)[0].length,
    data = new Uint8Array(n * 4).fill(Math.round(rest * 255));
  for (let i = 0; i < n; i++) {
    data[i * 4 + 3] = 255;
    for (const [k, letter] of (['r', 'g', 'b', 'a'] as const).entries())
      if (given[letter]) data[i * 4 + k] = Math.round(given[letter][i] * 255);
  }
  return { width: Math.sqrt(n), height: Math.sqrt(n), data };
}

/** The file a picture would come in: PNG, 16 bits a channel where the style says so, or JPEG at quality 40. */
export async function filed({ width, height, data }: Pixels, style: SurfaceStyle): Promise<Uint8Array> {
  if (style === '16 bits') {
    const wide = new Uint16Array(data.length);
    for (let i = 0; i < data.length; i++) wide[i] = data[i] * 257;
    return new Uint8Array(
      await sharp(wide, { raw: { width, height, channels: 4 } })
        .toColourspace('rgb16')
        .png()
        .toBuffer(),
    );
  }
  const image = sharp(data, { raw: { width, height, channels: 4 } });
  return new Uint8Array(
    await (style === 'JPEG at 40' ? image.removeAlpha().jpeg({ quality: 40 }) : image.png()).toBuffer(),
  );
}

/** As the platform's codec opens it. */
export async function opened(bytes: Uint8Array): Promise<Pixels> {
  const { data, info } = await sharp(bytes)
    .ensureAlpha()
    .toColourspace('srgb')
    .raw({ depth: 'uchar' })
    .toBuffer({ resolveWithObject: true });
  return { width: info.width, height: info.height, data: new Uint8Array(data) };
}
