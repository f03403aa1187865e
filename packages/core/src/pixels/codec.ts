/** Decoded image, 8 bits a channel, straight alpha, rows from the top. */
export interface Pixels {
  width: number;
  height: number;
  /** RGBA, width × height × 4 */
  data: Uint8Array;
}

export type ImageMime = 'image/png' | 'image/jpeg' | 'image/webp';

/** What an operation list asks for; evaluated once, on the original. */
export type ImageOperation =
  /** Every channel but alpha the other way round: gloss as roughness. */
  | { op: 'invert' }
  | { op: 'resize'; width: number; height: number; content: 'color' | 'normal' | 'data' }
  | { op: 'encode'; mimeType: ImageMime; quality: number };

/** No image of more pixels is opened: 16,384 to a side. */
export const MOST_PIXELS = 16_384 * 16_384;

/** Image reading and writing, injected by the platform: native codecs on the server, the browser's in the page. */
export interface ImageCodec {
  /** @throws ProblemError image.unreadable */
  decode(bytes: Uint8Array, maxSize?: number): Promise<Pixels>;
  /**
   * @param covered asked for where an image is scaled: which texels of its `width` × `height` are worn (1) or lie between
   * islands (0); null where all count
   */
  apply(
    bytes: Uint8Array,
    operations: readonly ImageOperation[],
    covered?: (width: number, height: number) => Uint8Array | null,
  ): Promise<{ bytes: Uint8Array; mimeType: ImageMime }>;
  /** As PNG where nothing else is asked for; `opaque` leaves alpha out. A codec that only reads leaves this out. */
  encode?(pixels: Pixels, as?: { mimeType?: ImageMime; quality?: number; opaque?: boolean }): Promise<Uint8Array>;
}
