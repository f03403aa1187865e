import type { ImageCodec, ImageMime, Pixels } from '../../pixels/index.ts';
import { writePng } from './png.ts';

/** An image written as the codec does it; as PNG of our own where it only reads. */
export async function encoded(
  { encode }: ImageCodec,
  pixels: Pixels,
  as: { mimeType?: ImageMime; quality?: number; opaque?: boolean },
): Promise<Uint8Array<ArrayBuffer>> {
  return (encode ? await encode(pixels, as) : writePng(pixels)) as Uint8Array<ArrayBuffer>;
}
