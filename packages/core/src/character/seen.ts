import type { Document } from '@gltf-transform/core';
import { createDeformer } from './deform.ts';
import { isSeenThrough } from './kinds.ts';
import { AROUND, DepthBuffer } from '../geometry/index.ts';

/** Pixels along the longer side of a view. */
const SIZE = 224;

/**
 * How much of each part can be seen from outside at rest: pixels that a depth buffer (Catmull 1974) leaves to it over the
 * area that faces the viewer, over 14 parallel views. What is seen through hides nothing.
 * @returns part id → 0 … 1, in steps of 0.05, so that small differences of pose change nothing
 */
export function seenShares(document: Document): Map<string, number> {
  const deformer = createDeformer(document, () => true, false);
  const positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  const seen = new Float64Array(deformer.ranges.length),
    facing = new Float64Array(deformer.ranges.length);
  const through = deformer.ranges.map(({ part }) => part.material !== null && isSeenThrough(part.kind));
  const order = [...deformer.ranges.keys()].sort((a, b) => Number(through[a]) - Number(through[b]) || a - b);
  const buffer = new DepthBuffer(SIZE, deformer.indices, deformer.vertices, { owned: true });
  for (const view of AROUND) {
    buffer.lookAlong(view, positions);
    for (const r of order) {
      const { firstTriangle, triangles } = deformer.ranges[r];
      if (through[r]) {
        const { area, pixels } = buffer.test(firstTriangle, triangles);
        facing[r] += area;
        seen[r] += pixels;
      } else facing[r] += buffer.draw(firstTriangle, triangles, r);
    }
    buffer.countInto(seen);
  }
  return new Map(
    deformer.ranges.map(({ part }, r) => [
      part.id,
      facing[r] > 0 ? Math.round(Math.min(1, seen[r] / facing[r]) * 20) / 20 : 0,
    ]),
  );
}
