import type { Packing } from './ktx2-head.ts';

/** Decoded image, 8 bits a channel, straight alpha, rows from the top. */
export interface Pixels {
  width: number;
  height: number;
  /** RGBA, width × height × 4 */
  data: Uint8Array;
}

/** One channel, 16 bits, rows from the top. */
export interface Heights {
  width: number;
  height: number;
  data: Uint16Array;
}

/** What an image holds, which says how it is averaged and what a change of it means. */
export type ImageContent = 'color' | 'normal' | 'data';

export type ImageMime = 'image/png' | 'image/jpeg' | 'image/webp';
/** KTX 2.0, which only the last of all changes writes. */
export const KTX2 = 'image/ktx2';

/** What an operation list asks for; evaluated once, on the original. */
export type ImageOperation =
  /** Every channel but alpha the other way round: gloss as roughness. */
  | { op: 'invert' }
  | { op: 'resize'; width: number; height: number; content: ImageContent }
  /** As PNG that is to be read again soon: quickly instead of small. */
  | { op: 'draft' }
  /** With `maxError` the lowest quality that keeps to it ({@link imageError}), `quality` at most. */
  | { op: 'encode'; mimeType: ImageMime; quality: number; maxError?: number; content?: ImageContent };

/** Packed for graphics processors, with mip levels, after all else. */
export interface PackOperation {
  op: 'pack';
  /** `smallest`: ETC1S where that keeps to `maxError`, else UASTC. */
  packing: Packing | 'smallest';
  content: ImageContent;
  maxError: number;
}
export interface Packed {
  bytes: Uint8Array;
  packing: Packing;
  /** How far it is from what was packed ({@link imageError}). */
  error: number;
}

/** No image of more pixels is opened: 16,384 to a side. */
export const MOST_PIXELS = 16_384 * 16_384;

/**
 * How many images are worked on side by side: the codec works on threads of its own, so some are opened and written while
 * another's pixels are looked at here.
 */
export const IMAGES_AT_ONCE = 3;

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
  /**
   * The first channel as fine as the file has it, for maps of heights. A codec that can't leaves this out.
   * @throws ProblemError image.unreadable
   */
  heights?(bytes: Uint8Array): Promise<Heights>;
  /** As KTX 2.0, sides being multiples of four. A codec that can't leaves this out. @throws ProblemError image.unreadable */
  pack?(bytes: Uint8Array, as: PackOperation): Promise<Packed>;
  /**
   * As PNG where nothing else is asked for, a `draft` quickly instead of small; `opaque` leaves alpha out. A codec that
   * only reads leaves this out.
   */
  encode?(
    pixels: Pixels,
    as?: { mimeType?: ImageMime; quality?: number; opaque?: boolean; draft?: boolean },
  ): Promise<Uint8Array>;
}
