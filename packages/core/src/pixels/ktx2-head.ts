/** How an image is packed for graphics processors (Basis Universal in KTX 2.0). */
export type Packing = 'uastc' | 'etc1s';

export interface Ktx2Head {
  width: number;
  height: number;
  packing: Packing;
  /** Whether it holds alpha. */
  alpha: boolean;
}

const NAME = [0xab, 0x4b, 0x54, 0x58, 0x20, 0x32, 0x30, 0xbb, 0x0d, 0x0a, 0x1a, 0x0a];
export const isKtx2 = (bytes: Uint8Array): boolean => NAME.every((byte, k) => bytes[k] === byte);

/** Colour model of ETC1S, and channels that mean alpha (Khronos Data Format 1.4, §5.6). */
const ETC1S = 163,
  ALPHA_OF_ETC1S = 15,
  RGBA_OF_UASTC = 3;

/** What the head of a KTX 2.0 file says (KTX 2.0, §3): null where it is none or cut off. */
export function ktx2Head(bytes: Uint8Array): Ktx2Head | null {
  if (bytes.length < 80 || !isKtx2(bytes)) return null;
  const head = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength),
    described = head.getUint32(48, true);
  // Total size, then the basic block: two words of kind and size, and one that begins with the colour model.
  if (described + 44 > bytes.length) return null;
  const model = bytes[described + 12],
    blockSize = head.getUint16(described + 10, true),
    samples = Math.max(0, Math.floor((blockSize - 24) / 16));
  let alpha = false;
  for (let i = 0; i < samples && described + 28 + i * 16 + 4 <= bytes.length; i++) {
    const channel = bytes[described + 28 + i * 16 + 3] & 15;
    alpha ||= model === ETC1S ? channel === ALPHA_OF_ETC1S : channel === RGBA_OF_UASTC;
  }
  return {
    width: head.getUint32(20, true),
    height: head.getUint32(24, true),
    packing: model === ETC1S ? 'etc1s' : 'uastc',
    alpha,
  };
}
