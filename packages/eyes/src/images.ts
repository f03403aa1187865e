import sharp from 'sharp';
import { read } from 'ktx-parse';
import { type Json, listOf, type RawAsset } from './raw.ts';

export interface ImageSeen {
  name: string;
  width: number;
  height: number;
  /** Why it can't be opened. */
  problem?: string;
}

const MOST_PIXELS = 16_384 * 16_384;
const KTX2 = [0xab, 0x4b, 0x54, 0x58, 0x20, 0x32, 0x30, 0xbb];

/** An image packed for graphics processors, by a parser of that format: its mip levels are all there, down to one texel. */
function openPacked(bytes: Uint8Array): Omit<ImageSeen, 'name'> {
  try {
    // A copy of its own: what a cut-off file misses would be found in its neighbours.
    const { pixelWidth: width, pixelHeight: height, levels } = read(bytes.slice()),
      wanted = Math.floor(Math.log2(Math.max(width, height))) + 1;
    if (levels.length === wanted && levels.every(({ levelData }) => levelData.length > 0)) return { width, height };
    return { width, height, problem: `it has ${levels.length} mip levels instead of ${wanted}` };
  } catch (error) {
    return { width: 0, height: 0, problem: (error as Error).message.split('\n')[0] };
  }
}

/** Packed images that a texture shows (KHR_texture_basisu): the format's validator knows neither. */
export function packedShown(asset: RawAsset): number {
  const shown = new Set(
    listOf(asset.json.textures)
      .map((texture) => (texture.extensions as Json | undefined)?.KHR_texture_basisu as Json | undefined)
      .flatMap((extension) => (typeof extension?.source === 'number' ? [extension.source] : [])),
  );
  return [...shown].filter((i) => {
    const bytes = asset.image(i);
    return bytes && KTX2.every((byte, k) => bytes[k] === byte) && !openPacked(bytes).problem;
  }).length;
}

/** Every image opened to its last pixel, with the size it has. */
export async function openImages(asset: RawAsset): Promise<ImageSeen[]> {
  const out: ImageSeen[] = [];
  for (const [i, image] of listOf(asset.json.images).entries()) {
    const name = String(image.name ?? image.uri ?? `image ${i + 1}`).slice(0, 120),
      bytes = asset.image(i);
    out.push(bytes ? await openFile(name, bytes) : { name, width: 0, height: 0, problem: 'its bytes are missing' });
  }
  return out;
}

/** One image opened to its last pixel. */
export async function openFile(name: string, bytes: Uint8Array): Promise<ImageSeen> {
  if (KTX2.every((byte, k) => bytes[k] === byte)) return { name, ...openPacked(bytes) };
  try {
    const { info } = await sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: 'warning' })
      .raw()
      .toBuffer({ resolveWithObject: true });
    return { name, width: info.width, height: info.height };
  } catch (error) {
    return { name, width: 0, height: 0, problem: (error as Error).message.split('\n')[0] };
  }
}
