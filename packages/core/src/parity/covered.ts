import { AROUND, DepthBuffer } from '../geometry/index.ts';
import type { DrawnFigure } from './drawn.ts';

/** What can lie under something worn for good. What a lid or a mouth hides is shown in time, and counts. */
const UNDER = new Set(['body', 'garment', 'footwear', 'accessory', 'other']);
/** Pixels along the longer side of a view, and how many of them a surface may lie behind another and still count as seen. */
const SIZE = 512,
  SLACK = 1.25;

/**
 * Triangles that something worn covers from every side in every shape given: none of their corners is left visible in
 * a depth buffer (Catmull 1974) over 14 parallel views. What is seen through covers nothing.
 * @param shapes positions of the figure's vertices, at rest and in poses
 * @returns 1 for each covered triangle
 */
export function coveredTriangles(
  { indices, vertices, parts }: DrawnFigure,
  shapes: readonly Float32Array[],
): Uint8Array {
  const covered = new Uint8Array(indices.length / 3),
    open = new Uint8Array(vertices);
  const under = parts.filter(({ role, through }) => UNDER.has(role) && !through);
  // A single surface is covered by nothing but itself.
  if (under.length === 0 || parts.length < 2) return covered;
  const buffer = new DepthBuffer(SIZE, indices, vertices);
  for (const shape of shapes)
    for (const view of AROUND) {
      const unseen = closedOf(open, under);
      if (!unseen.length) break;
      buffer.lookAlong(view, shape);
      buffer.wantOnly(unseen.map((vertex) => buffer.pixelOf(vertex)));
      for (const { through, firstTriangle, triangles } of parts) if (!through) buffer.draw(firstTriangle, triangles);
      for (const vertex of unseen) if (buffer.sees(vertex, SLACK)) open[vertex] = 1;
    }
  for (const { firstTriangle, triangles } of under)
    for (let t = firstTriangle; t < firstTriangle + triangles; t++)
      covered[t] = open[indices[t * 3]] || open[indices[t * 3 + 1]] || open[indices[t * 3 + 2]] ? 0 : 1;
  return covered;
}

/** Vertices of some parts that nothing has seen yet. */
function closedOf(open: Uint8Array, parts: readonly { firstVertex: number; vertices: number }[]): Uint32Array {
  const out = new Uint32Array(parts.reduce((sum, { vertices }) => sum + vertices, 0));
  let n = 0;
  for (const { firstVertex, vertices } of parts)
    for (let v = firstVertex; v < firstVertex + vertices; v++) if (!open[v]) out[n++] = v;
  return out.subarray(0, n);
}
