import { ProblemError, type ImageCodec, type ImageOperation } from '@dimetra/core';
import sharp from 'sharp';

// A worker process runs several of these side by side; more threads each would only take memory.
sharp.concurrency(1);
sharp.cache(false);

/** No image of a character is larger; a small file that claims to be is refused before it is opened. */
const MOST_PIXELS = 16_384 * 16_384;

/** Image reading and writing by libvips. */
export const sharpCodec: ImageCodec = {
  async decode(bytes, maxSize) {
    try {
      let image = sharp(bytes, { limitInputPixels: MOST_PIXELS });
      if (maxSize) image = image.resize({ width: maxSize, height: maxSize, fit: 'inside', withoutEnlargement: true, kernel: 'mitchell' });
      const { data, info } = await image.ensureAlpha().toColourspace('srgb').raw({ depth: 'uchar' }).toBuffer({ resolveWithObject: true });
      return { width: info.width, height: info.height, data: new Uint8Array(data.buffer, data.byteOffset, data.byteLength) };
    } catch (error) {
      throw new ProblemError('image.unreadable', `An image can't be read: ${(error as Error).message}. Save it again as PNG or JPEG.`);
    }
  },
  async apply(bytes, operations) {
    try {
      return await applyOperations(bytes, operations);
    } catch (error) {
      throw new ProblemError('image.unreadable', `An image can't be converted: ${(error as Error).message}. Save it again as PNG or JPEG.`);
    }
  },
};

async function applyOperations(bytes: Uint8Array, operations: readonly ImageOperation[]) {
  const meta = await sharp(bytes, { limitInputPixels: MOST_PIXELS }).metadata();
  let mimeType: 'image/png' | 'image/jpeg' | 'image/webp' = meta.format === 'jpeg' ? 'image/jpeg' : meta.format === 'webp' ? 'image/webp' : 'image/png';
  let quality = 90;
  let image = sharp(bytes, { limitInputPixels: MOST_PIXELS });
  for (const operation of operations) {
    if (operation.op === 'encode') { mimeType = operation.mimeType; quality = operation.quality; continue; }
    if (operation.op === 'invert') { image = image.negate({ alpha: false }); continue; }
    const size = { width: operation.width, height: operation.height, fit: 'fill' as const, kernel: 'lanczos3' as const };
    // Colour is averaged in linear light, data and normals as they are.
    image = operation.content === 'color' ? image.gamma(2.2).resize(size) : image.resize(size);
    if (operation.content === 'normal') {
      const { data, info } = await image.raw().toBuffer({ resolveWithObject: true });
      renormalise(data, info.channels);
      image = sharp(data, { raw: { width: info.width, height: info.height, channels: info.channels } });
    }
  }
  const written = mimeType === 'image/jpeg' ? image.flatten({ background: '#000' }).jpeg({ quality, mozjpeg: false, chromaSubsampling: '4:4:4' }) : mimeType === 'image/webp' ? image.webp({ quality }) : image.png({ compressionLevel: 7 });
  return { bytes: new Uint8Array(await written.toBuffer()), mimeType };
}

/** Averaged normals are shorter than one: back to unit length. Channels hold (n + 1) / 2. */
function renormalise(data: Uint8Array, channels: number): void {
  if (channels < 3) return;
  for (let i = 0; i < data.length; i += channels) {
    const x = data[i] / 127.5 - 1, y = data[i + 1] / 127.5 - 1, z = data[i + 2] / 127.5 - 1;
    const length = Math.hypot(x, y, z) || 1;
    data[i] = Math.round((x / length + 1) * 127.5);
    data[i + 1] = Math.round((y / length + 1) * 127.5);
    data[i + 2] = Math.round((z / length + 1) * 127.5);
  }
}

/** Writes raw pixels as an image file. */
export async function encodePixels(picture: { width: number; height: number; channels: 3 | 4; data: Uint8Array }, mimeType: 'image/png' | 'image/jpeg'): Promise<Uint8Array> {
  const image = sharp(picture.data, { raw: { width: picture.width, height: picture.height, channels: picture.channels } });
  return new Uint8Array(await (mimeType === 'image/jpeg' ? image.jpeg({ quality: 92, chromaSubsampling: '4:4:4' }) : image.png({ compressionLevel: 7 })).toBuffer());
}
