import { MOST_PIXELS, ProblemError } from '@dimetra/core';
import sharp from 'sharp';
import { encodePixels } from './codec.ts';
import { unpackKtx2 } from './ktx2.ts';

/**
 * An image that glTF's views can't show, as PNG: KTX2 by its transcoder, TIFF by libvips (strips, tiles, every usual
 * packing, colour tables, turned pages). Sixteen bits stay sixteen; floats of 0 … 1 become sixteen.
 * @throws ProblemError image.unreadable
 */
export async function unpackImage(bytes: Uint8Array, mimeType: string): Promise<Uint8Array> {
  if (mimeType === 'image/ktx2') return encodePixels({ ...(await unpackKtx2(bytes)), channels: 4 }, 'image/png');
  try {
    const { depth } = await sharp(bytes, { limitInputPixels: MOST_PIXELS }).metadata(),
      deep = depth !== 'uchar' && depth !== undefined;
    let image = sharp(bytes, { limitInputPixels: MOST_PIXELS }).autoOrient();
    if (depth === 'float' || depth === 'double') {
      const { data, info } = await image.raw({ depth: 'float' }).toBuffer({ resolveWithObject: true });
      const floats = new Float32Array(data.buffer, data.byteOffset, data.byteLength / 4);
      image = sharp(
        Uint16Array.from(floats, (x) => Math.round(Math.max(0, Math.min(1, Number.isFinite(x) ? x : 0)) * 65_535)),
        { raw: { width: info.width, height: info.height, channels: info.channels } },
      );
    }
    if (deep) image = image.toColourspace('rgb16');
    return new Uint8Array(await image.png({ compressionLevel: 6 }).toBuffer());
  } catch (error) {
    throw new ProblemError(
      'image.unreadable',
      `An image can't be read: ${(error as Error).message.split('\n')[0]}. Save it as PNG.`,
    );
  }
}
