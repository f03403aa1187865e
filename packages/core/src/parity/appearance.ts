import { floatsOf, listParts, type Part, type Deformer } from '../character/index.ts';
import type { Document, Texture } from '@gltf-transform/core';
import type { ImageCodec, Pixels } from '../pixels/index.ts';
import { closestOnTriangle } from '../geometry/index.ts';
import type { MeasuredSurface } from './surface-distance.ts';

/** Base colour of a character at any of its surface points. */
export interface ColorSampler {
  /** sRGB 0 … 255 at a point of triangle `t` of the whole surface with barycentric weights v, w. */
  at(t: number, v: number, w: number): [number, number, number];
}

/** Longest side at which colours are compared; finer than this is texture resolution, which has its own rule. */
const COMPARE_SIZE = 512;

/** Decodes an image at the size colours are compared in; null where it can't be read. */
export type ImageLook = (bytes: Uint8Array) => Promise<Pixels | null>;

/** Looks at images through `codec`, once at those that both characters hold alike. */
export function lookOnce(codec: ImageCodec): ImageLook {
  const looked: { bytes: Uint8Array; pixels: Promise<Pixels | null> }[] = [];
  const same = (a: Uint8Array, b: Uint8Array) =>
    a === b || (a.length === b.length && a.every((byte, i) => byte === b[i]));
  return (bytes) => {
    let known = looked.find((entry) => same(entry.bytes, bytes));
    if (!known) {
      known = { bytes, pixels: codec.decode(bytes, COMPARE_SIZE).catch(() => null) };
      looked.push(known);
    }
    return known.pixels;
  };
}

export async function createColorSampler(
  document: Document,
  deformer: Deformer,
  look: ImageLook,
): Promise<ColorSampler> {
  const pixels = new Map<Texture, Pixels | null>();
  for (const part of listParts(document)) {
    const texture = part.material?.getBaseColorTexture(),
      bytes = texture?.getImage();
    // One after the other: large images decoded at once would cost more memory than time.
    if (texture && bytes?.length && !pixels.has(texture)) pixels.set(texture, await look(bytes));
  }
  const rows = deformer.ranges.map((range) => ({
    ...range,
    uv: uvOf(range.part),
    pixels: pixels.get(range.part.material?.getBaseColorTexture() as Texture) ?? null,
    factor: range.part.material?.getBaseColorFactor() ?? [1, 1, 1, 1],
  }));
  const { indices } = deformer;
  return {
    at(t, v, w) {
      const row = rows.find((entry) => t < entry.firstTriangle + entry.triangles) ?? rows[rows.length - 1];
      if (!row.pixels || !row.uv) return [0, 1, 2].map((k) => toSrgb(row.factor[k])) as [number, number, number];
      const corner = [0, 1, 2].map((k) => (indices[t * 3 + k] - row.firstVertex) * 2);
      const share = [1 - v - w, v, w];
      let x = 0,
        y = 0;
      for (let k = 0; k < 3; k++) {
        x += row.uv[corner[k]] * share[k];
        y += row.uv[corner[k] + 1] * share[k];
      }
      const { width, height, data } = row.pixels;
      const px = Math.min(width - 1, Math.max(0, Math.floor((x - Math.floor(x)) * width)));
      const py = Math.min(height - 1, Math.max(0, Math.floor((y - Math.floor(y)) * height)));
      const o = (py * width + px) * 4;
      return [0, 1, 2].map((k) => toSrgb(fromSrgb(data[o + k]) * row.factor[k])) as [number, number, number];
    },
  };
}

function uvOf(part: Part): Float32Array | null {
  const info = part.material?.getBaseColorTextureInfo();
  const accessor = part.prim.getAttribute(`TEXCOORD_${info?.getTexCoord() ?? 0}`);
  return accessor ? floatsOf(accessor) : null;
}

const fromSrgb = (byte: number): number => {
  const c = byte / 255;
  return c <= 0.04045 ? c / 12.92 : ((c + 0.055) / 1.055) ** 2.4;
};
const toSrgb = (linear: number): number =>
  255 * (linear <= 0.0031308 ? linear * 12.92 : 1.055 * Math.max(0, linear) ** (1 / 2.4) - 0.055);

/** CIE L*a*b* (D65) of an sRGB colour, 0 … 255. */
export function toLab(rgb: readonly [number, number, number]): [number, number, number] {
  const [r, g, b] = rgb.map(fromSrgb);
  const f = (t: number) => (t > 216 / 24389 ? Math.cbrt(t) : ((24389 / 27) * t + 16) / 116);
  const x = f((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047);
  const y = f(0.2126729 * r + 0.7151522 * g + 0.072175 * b);
  const z = f((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883);
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

/** Colour difference ΔE 2000 (Sharma, Wu & Dalal 2005) of two L*a*b* colours. */
export function deltaE2000(one: readonly number[], two: readonly number[]): number {
  const rad = Math.PI / 180;
  const [l1, a1, b1] = one,
    [l2, a2, b2] = two;
  const cMean = (Math.hypot(a1, b1) + Math.hypot(a2, b2)) / 2;
  const g = 0.5 * (1 - Math.sqrt(cMean ** 7 / (cMean ** 7 + 25 ** 7)));
  const p1 = a1 * (1 + g),
    p2 = a2 * (1 + g);
  const c1 = Math.hypot(p1, b1),
    c2 = Math.hypot(p2, b2);
  const hue = (b: number, a: number) => (a === 0 && b === 0 ? 0 : (Math.atan2(b, a) / rad + 360) % 360);
  const h1 = hue(b1, p1),
    h2 = hue(b2, p2);
  let dh = c1 * c2 === 0 ? 0 : h2 - h1;
  if (dh > 180) dh -= 360;
  else if (dh < -180) dh += 360;
  const dH = 2 * Math.sqrt(c1 * c2) * Math.sin((dh / 2) * rad);
  const l = (l1 + l2) / 2,
    c = (c1 + c2) / 2;
  let h = h1 + h2;
  if (c1 * c2 !== 0) h = Math.abs(h1 - h2) <= 180 ? h / 2 : h < 360 ? (h + 360) / 2 : (h - 360) / 2;
  const t =
    1 -
    0.17 * Math.cos((h - 30) * rad) +
    0.24 * Math.cos(2 * h * rad) +
    0.32 * Math.cos((3 * h + 6) * rad) -
    0.2 * Math.cos((4 * h - 63) * rad);
  const sl = 1 + (0.015 * (l - 50) ** 2) / Math.sqrt(20 + (l - 50) ** 2);
  const sc = 1 + 0.045 * c,
    sh = 1 + 0.015 * c * t;
  const rt = -2 * Math.sqrt(c ** 7 / (c ** 7 + 25 ** 7)) * Math.sin(60 * Math.exp(-(((h - 275) / 25) ** 2)) * rad);
  const x = (l2 - l1) / sl,
    y = (c2 - c1) / sc,
    z = dH / sh;
  return Math.sqrt(x * x + y * y + z * z + rt * y * z);
}

/** ΔE 2000 between a surface's samples and the nearest points of the other, mean and 99th percentile. Both have been measured at rest. */
export function colorDifference(
  source: MeasuredSurface,
  result: MeasuredSurface,
  sourceColor: ColorSampler,
  resultColor: ColorSampler,
): { mean: number; p99: number } {
  const { samples } = source,
    points = source.locate(),
    corners = result.corners(),
    hit = { v: 0, w: 0, distanceSquared: Infinity };
  const out: number[] = [];
  for (let i = 0; i < samples.triangle.length; i++) {
    // Both stand at rest, where the distance was measured before.
    const triangle = source.known.nearest[i];
    if (triangle < 0) continue;
    closestOnTriangle(corners, result.indices, triangle, points[i * 3], points[i * 3 + 1], points[i * 3 + 2], hit);
    const a = sourceColor.at(samples.triangle[i], samples.barycentric[i * 2], samples.barycentric[i * 2 + 1]);
    const b = resultColor.at(triangle, hit.v, hit.w);
    out.push(deltaE2000(toLab(a), toLab(b)));
  }
  out.sort((x, y) => x - y);
  if (!out.length) return { mean: 0, p99: 0 };
  const round = (x: number) => Math.round(x * 100) / 100;
  return {
    mean: round(out.reduce((sum, x) => sum + x, 0) / out.length),
    p99: round(out[Math.floor((out.length - 1) * 0.99)]),
  };
}
