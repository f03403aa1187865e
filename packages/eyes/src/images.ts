import sharp from 'sharp';
import { listOf, type RawAsset } from './raw.ts';

export interface ImageSeen {
  name: string;
  width: number;
  height: number;
  /** Why it can't be opened. */
  problem?: string;
}

const MOST_PIXELS = 16_384 * 16_384;
const KTX2 = [0xab, 0x4b, 0x54, 0x58, 0x20, 0x32, 0x30, 0xbb];

/** Every image opened to its last pixel, with the size it has. */
export async function openImages(asset: RawAsset): Promise<ImageSeen[]> {
  const out: ImageSeen[] = [];
  for (const [i, image] of listOf(asset.json.images).entries()) {
    const name = String(image.name ?? image.uri ?? `image ${i + 1}`).slice(0, 120),
      bytes = asset.image(i);
    if (!bytes) {
      out.push({ name, width: 0, height: 0, problem: 'its bytes are missing' });
      continue;
    }
    if (KTX2.every((byte, k) => bytes[k] === byte)) {
      const head = new DataView(bytes.buffer, bytes.byteOffset);
      out.push({ name, width: head.getUint32(20, true), height: head.getUint32(24, true) });
      continue;
    }
    try {
      const { info } = await sharp(bytes, { limitInputPixels: MOST_PIXELS, failOn: 'warning' })
        .raw()
        .toBuffer({ resolveWithObject: true });
      out.push({ name, width: info.width, height: info.height });
    } catch (error) {
      out.push({ name, width: 0, height: 0, problem: (error as Error).message.split('\n')[0] });
    }
  }
  return out;
}
