import { zlibSync } from 'fflate';

const TABLE = Uint32Array.from({ length: 256 }, (_, n) => {
  let c = n;
  for (let k = 0; k < 8; k++) c = c & 1 ? 0xedb88320 ^ (c >>> 1) : c >>> 1;
  return c >>> 0;
});

function crc(bytes: Uint8Array): number {
  let c = 0xffffffff;
  for (const byte of bytes) c = TABLE[(c ^ byte) & 255] ^ (c >>> 8);
  return (c ^ 0xffffffff) >>> 0;
}

/** An 8-bit PNG (ISO/IEC 15948) of RGBA pixels, without alpha where every pixel is opaque. */
export function writePng(pixels: { width: number; height: number; data: Uint8Array }): Uint8Array<ArrayBuffer> {
  const { width, height, data } = pixels;
  let opaque = true;
  for (let i = 3; i < data.length && opaque; i += 4) opaque = data[i] === 255;
  const size = opaque ? 3 : 4;
  const rows = new Uint8Array(height * (1 + width * size));
  for (let y = 0, to = 0; y < height; y++) {
    rows[to++] = 0;
    for (let x = 0; x < width; x++)
      for (let k = 0, from = (y * width + x) * 4; k < size; k++) rows[to++] = data[from + k];
  }
  const head = new Uint8Array(13),
    view = new DataView(head.buffer);
  view.setUint32(0, width);
  view.setUint32(4, height);
  head.set([8, opaque ? 2 : 6, 0, 0, 0], 8);
  const chunks = [chunk('IHDR', head), chunk('IDAT', zlibSync(rows, { level: 6 })), chunk('IEND', new Uint8Array(0))];
  const out = new Uint8Array(8 + chunks.reduce((sum, part) => sum + part.length, 0));
  out.set([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]);
  let at = 8;
  for (const part of chunks) {
    out.set(part, at);
    at += part.length;
  }
  return out;
}

function chunk(type: string, body: Uint8Array): Uint8Array {
  const out = new Uint8Array(12 + body.length),
    view = new DataView(out.buffer);
  view.setUint32(0, body.length);
  for (let i = 0; i < 4; i++) out[4 + i] = type.charCodeAt(i);
  out.set(body, 8);
  view.setUint32(8 + body.length, crc(out.subarray(4, 8 + body.length)));
  return out;
}
