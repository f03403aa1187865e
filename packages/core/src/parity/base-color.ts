import { floatsOf, listParts, type Part, type Deformer } from '../character/index.ts';
import type { Document, Texture } from '@gltf-transform/core';
import { deltaE2000, LINEAR, type Pixels, toLab, toSrgb } from '../pixels/index.ts';
import { closestOnTriangle } from '../geometry/index.ts';
import type { MeasuredSurface } from './surface-distance.ts';

/** Base colour of a character at any of its surface points. */
export interface ColorSampler {
  /** sRGB 0 … 255 at a point of triangle `t` of the whole surface with barycentric weights v, w. */
  at(t: number, v: number, w: number): [number, number, number];
}

/** Longest side at which colours are compared; finer than this is texture resolution, which has its own rule. */
export const COMPARED_SIZE = 512;

/** An image at the size colours are compared in; null where it can't be read. */
export type ImageLook = (bytes: Uint8Array) => Promise<Pixels | null>;

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
      return [0, 1, 2].map((k) => toSrgb(LINEAR[data[o + k]] * row.factor[k])) as [number, number, number];
    },
  };
}

function uvOf(part: Part): Float32Array | null {
  const info = part.material?.getBaseColorTextureInfo();
  const accessor = part.prim.getAttribute(`TEXCOORD_${info?.getTexCoord() ?? 0}`);
  return accessor ? floatsOf(accessor) : null;
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
