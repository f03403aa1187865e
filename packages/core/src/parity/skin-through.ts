import type { Deformer } from '../character/index.ts';
import { DepthBuffer } from '../geometry/index.ts';

/** Directions, each looked along from both ends: 64 views. */
const DIRECTIONS = 32;
/** Pixels along the longer side of a view. */
const SIZE = 384;
/** Skin lies through cloth where cloth lies behind it by no more than this, metres: what lies further back is another limb. */
const THROUGH = 0.02;

const CLOTHES = new Set(['garment', 'footwear']);

/** Whether a figure has skin under clothes at all. */
export const wearsClothes = ({ ranges }: Deformer): boolean => ranges.some(({ part }) => part.role === 'body') && ranges.some(({ part }) => CLOTHES.has(part.role));

/**
 * Skin of the body that shows in front of the cloth which should cover it, square centimetres. In each of 64 parallel
 * views a pixel counts where body is what is seen and cloth lies up to 2 cm behind it; a patch of area A is seen on
 * A/4 of the average view (Cauchy's mean projected area, one side).
 * @param positions of the deformer's vertices, metres
 */
export function skinThrough({ ranges, indices }: Deformer, positions: Float32Array): number {
  const body = new DepthBuffer(SIZE, false), cloth = new DepthBuffer(SIZE, false), others = new DepthBuffer(SIZE, false);
  let area = 0;
  for (const direction of hemisphere(DIRECTIONS)) {
    for (const buffer of [body, cloth, others]) buffer.lookAlong(direction, positions);
    for (const { part, firstTriangle, triangles } of ranges) (part.role === 'body' ? body : CLOTHES.has(part.role) ? cloth : others).draw(indices, firstTriangle, triangles, 0, () => {});
    const perPixel = body.pixel * body.pixel, reach = THROUGH / body.pixel;
    area += perPixel * inFront(body.depth, cloth.depth, others.depth, reach);
  }
  return (area * 4 * 1e4) / (DIRECTIONS * 2);
}

function inFront(body: Float32Array, cloth: Float32Array, others: Float32Array, reach: number): number {
  let n = 0;
  for (let i = 0; i < body.length; i++) if (body[i] < cloth[i] && cloth[i] - body[i] < reach && body[i] < others[i]) n++;
  return n;
}

/** Directions spread evenly over half a sphere (Fibonacci lattice; Swinbank & Purser 2006). */
function hemisphere(count: number): [number, number, number][] {
  return Array.from({ length: count }, (_, i) => { const y = (i + 0.5) / count, r = Math.sqrt(1 - y * y), a = i * Math.PI * (3 - Math.sqrt(5)); return [r * Math.cos(a), y, r * Math.sin(a)]; });
}
