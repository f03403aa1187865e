import type { Pixels } from './codec.ts';
import { between } from './pixels.ts';

/**
 * Occlusion, roughness and metalness in one picture as glTF has them (2.0 §3.9.2, §3.9.3): red, green and blue, each byte as
 * it stood. The size is the larger of both on either side; the smaller one is read between its texels. What isn't there is
 * full: nothing shaded, and factors that speak for themselves.
 */
export function packChannels(occlusion: Pixels | null, surface: Pixels | null): Pixels {
  const width = Math.max(occlusion?.width ?? 1, surface?.width ?? 1),
    height = Math.max(occlusion?.height ?? 1, surface?.height ?? 1),
    data = new Uint8Array(width * height * 4).fill(255),
    put = (from: Pixels | null, channel: 0 | 1 | 2) => from && spread(from, channel, data, width, height, channel);
  put(occlusion, 0);
  put(surface, 1);
  put(surface, 2);
  return { width, height, data };
}

/** What lies in red as a grey picture of its own. */
export function redAlone({ width, height, data }: Pixels): Pixels {
  const out = new Uint8Array(data.length).fill(255);
  for (let i = 0; i < data.length; i += 4) out[i] = out[i + 1] = out[i + 2] = data[i];
  return { width, height, data: out };
}

/** The same picture with its red full. */
export function withoutRed({ width, height, data }: Pixels): Pixels {
  const out = Uint8Array.from(data);
  for (let i = 0; i < out.length; i += 4) out[i] = 255;
  return { width, height, data: out };
}

export function isRedFull({ data }: Pixels): boolean {
  for (let i = 0; i < data.length; i += 4) if (data[i] !== 255) return false;
  return true;
}

function spread(from: Pixels, channel: number, out: Uint8Array, width: number, height: number, to: number): void {
  if (from.width === width && from.height === height) {
    for (let i = 0; i < width * height; i++) out[i * 4 + to] = from.data[i * 4 + channel];
    return;
  }
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      out[(y * width + x) * 4 + to] = Math.round(between(from, (x + 0.5) / width, (y + 0.5) / height, channel));
}
