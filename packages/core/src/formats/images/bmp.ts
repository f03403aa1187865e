import { ProblemError } from '../../problem.ts';
import { MOST_PIXELS } from '../../pixels/index.ts';

/**
 * Reads an uncompressed Windows bitmap of 1, 4, 8, 16, 24 or 32 bits, with masks where given. RGBA, top row first.
 * @throws ProblemError image.unreadable
 */
export function readBmp(bytes: Uint8Array, path: string): { width: number; height: number; data: Uint8Array } {
  const broken = (why: string) =>
    new ProblemError('image.unreadable', `The image “${path}” can't be read: ${why}. Export it as PNG.`, path);
  if (bytes.length < 54) throw broken('it is cut off');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const from = view.getUint32(10, true),
    head = view.getUint32(14, true),
    width = view.getInt32(18, true),
    tall = view.getInt32(22, true),
    bits = view.getUint16(28, true),
    packing = view.getUint32(30, true);
  const height = Math.abs(tall);
  if (head < 40 || !(width > 0) || !height || width * height > MOST_PIXELS || ![1, 4, 8, 16, 24, 32].includes(bits))
    throw broken('it is no bitmap of a known sort');
  if (packing !== 0 && packing !== 3) throw broken('it is packed in a way that is not read');
  const stride = Math.ceil((width * bits) / 32) * 4;
  if (from + stride * height > bytes.length) throw broken('it is cut off');
  const masks =
    packing === 3
      ? [0, 1, 2, 3].map((k) =>
          54 + k * 4 + 4 <= bytes.length && (k < 3 || head >= 56) ? view.getUint32(54 + k * 4, true) : 0,
        )
      : bits === 16
        ? [0x7c00, 0x3e0, 0x1f, 0]
        : [0xff0000, 0xff00, 0xff, 0];
  const scaled = masks.map((mask) => ({
    mask,
    shift: mask ? 31 - Math.clz32(mask & -mask) : 0,
    full: mask ? mask >>> (31 - Math.clz32(mask & -mask)) : 1,
  }));
  const out = new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const row = from + (tall > 0 ? height - 1 - y : y) * stride,
        to = (y * width + x) * 4;
      if (bits <= 8) {
        const entry = (bytes[row + ((x * bits) >> 3)] >> (8 - bits - ((x * bits) & 7))) & ((1 << bits) - 1);
        const at = 14 + head + entry * 4;
        if (at + 3 > bytes.length) throw broken('it names a colour that its table lacks');
        out.set([bytes[at + 2], bytes[at + 1], bytes[at], 255], to);
      } else if (bits === 24) out.set([bytes[row + x * 3 + 2], bytes[row + x * 3 + 1], bytes[row + x * 3], 255], to);
      else {
        const value = bits === 16 ? view.getUint16(row + x * 2, true) : view.getUint32(row + x * 4, true);
        scaled.forEach(({ mask, shift, full }, k) => {
          out[to + k] = mask ? Math.round((((value & mask) >>> shift) * 255) / full) : k === 3 ? 255 : 0;
        });
      }
    }
  return { width, height, data: out };
}
