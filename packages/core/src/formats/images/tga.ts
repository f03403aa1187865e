import { ProblemError } from '../../problem.ts';
import { MOST_PIXELS } from '../../pixels/index.ts';

/** Pixels no image of a character needs more of: guards against sizes that a damaged header makes up. */

/**
 * Reads a Targa image (TGA 2.0): colour-mapped, true-colour and grey, plain and run-length packed, 8 to 32 bits,
 * any origin. RGBA, top row first.
 * @throws ProblemError image.unreadable
 */
export function readTga(bytes: Uint8Array, path: string): { width: number; height: number; data: Uint8Array } {
  const broken = (why: string) =>
    new ProblemError('image.unreadable', `The image “${path}” can't be read: ${why}. Export it again.`, path);
  if (bytes.length < 18) throw broken('it is cut off');
  const view = new DataView(bytes.buffer, bytes.byteOffset, bytes.byteLength);
  const type = bytes[2],
    width = view.getUint16(12, true),
    height = view.getUint16(14, true),
    depth = bytes[16],
    descriptor = bytes[17];
  const kind = type & 7,
    packed = type >= 9 && type <= 11;
  if (![1, 2, 3].includes(kind) || (type > 3 && !packed) || ![8, 15, 16, 24, 32].includes(depth))
    throw broken('it is no Targa image of a known sort');
  if (!width || !height || width * height > MOST_PIXELS) throw broken(`its size is ${width} × ${height}`);
  const mapLength = bytes[1] === 1 ? view.getUint16(5, true) : 0,
    mapDepth = bytes[7],
    mapFrom = 18 + bytes[0];
  const step = depth === 15 ? 2 : depth >> 3;
  const from = mapFrom + mapLength * ((mapDepth + 7) >> 3);
  const raw = packed ? unpack(bytes, from, width * height, step) : bytes.subarray(from, from + width * height * step);
  if (!raw || raw.length < width * height * step) throw broken('it is cut off');
  const out = new Uint8Array(width * height * 4);
  const alphaBits = descriptor & 15;
  const write = (to: number, source: Uint8Array, at: number, bits: number) => {
    if (bits === 8) out.set([source[at], source[at], source[at], 255], to);
    else if (bits <= 16) {
      const c = source[at] | (source[at + 1] << 8);
      const up = (x: number) => Math.round(((x & 31) * 255) / 31);
      out.set([up(c >> 10), up(c >> 5), up(c), bits === 16 && alphaBits ? (c & 0x8000 ? 255 : 0) : 255], to);
    } else out.set([source[at + 2], source[at + 1], source[at], bits === 32 ? source[at + 3] : 255], to);
  };
  const fromRight = (descriptor & 16) !== 0,
    fromTop = (descriptor & 32) !== 0;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const to = ((fromTop ? y : height - 1 - y) * width + (fromRight ? width - 1 - x : x)) * 4,
        at = (y * width + x) * step;
      if (kind !== 1) {
        write(to, raw, at, depth);
        continue;
      }
      const entry = raw[at] - view.getUint16(3, true);
      if (entry < 0 || entry >= mapLength) throw broken('it names a colour that its table lacks');
      write(to, bytes, mapFrom + entry * ((mapDepth + 7) >> 3), mapDepth);
    }
  // Many writers declare 32 bits and leave alpha empty: an image that would vanish altogether is meant to be seen.
  if (depth === 32 && !alphaBits) {
    let any = false;
    for (let i = 3; i < out.length && !any; i += 4) any = out[i] !== 0;
    if (!any) for (let i = 3; i < out.length; i += 4) out[i] = 255;
  }
  return { width, height, data: out };
}

function unpack(bytes: Uint8Array, from: number, pixels: number, step: number): Uint8Array | null {
  const out = new Uint8Array(pixels * step);
  let at = from,
    to = 0;
  while (to < out.length) {
    if (at >= bytes.length) return null;
    const head = bytes[at++],
      count = (head & 127) + 1;
    const room = Math.min(count * step, out.length - to);
    if (head & 128) {
      if (at + step > bytes.length) return null;
      for (let i = 0; i < room; i++) out[to + i] = bytes[at + (i % step)];
      at += step;
    } else {
      if (at + room > bytes.length) return null;
      out.set(bytes.subarray(at, at + room), to);
      at += count * step;
    }
    to += room;
  }
  return out;
}
