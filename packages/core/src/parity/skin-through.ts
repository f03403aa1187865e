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
export const wearsClothes = ({ ranges }: Deformer): boolean =>
  ranges.some(({ part }) => part.role === 'body') && ranges.some(({ part }) => CLOTHES.has(part.role));

/**
 * Skin of the body that shows in front of the cloth which should cover it, square centimetres. In each of 64 parallel
 * views a pixel counts where body is what is seen and cloth lies up to 2 cm behind it; a patch of area A is seen on
 * A/4 of the average view (Cauchy's mean projected area, one side).
 * @param positions of the deformer's vertices, metres
 */
export function skinThrough({ ranges, indices }: Deformer, positions: Float32Array): number {
  const body = new DepthBuffer(SIZE, false),
    cloth = new DepthBuffer(SIZE, false),
    others = new DepthBuffer(SIZE, false),
    shows = new Uint8Array(SIZE * SIZE * 2);
  const skin = ranges.filter(({ part }) => part.role === 'body'),
    clothes = ranges.filter(({ part }) => CLOTHES.has(part.role)),
    rest = ranges.filter((range) => !skin.includes(range) && !clothes.includes(range));
  let area = 0;
  for (const direction of hemisphere(DIRECTIONS)) {
    body.lookAlong(direction, positions);
    cloth.lookWith(body);
    for (const { firstTriangle, triangles } of skin) body.draw(indices, firstTriangle, triangles, 0, () => {});
    for (const { firstTriangle, triangles } of clothes) cloth.draw(indices, firstTriangle, triangles, 0, () => {});
    if (!inFront(body.depth, cloth.depth, THROUGH / body.pixel, shows)) continue;
    others.lookWith(body);
    // Hair, eyes and teeth matter only where they may lie before what shows.
    for (const { firstVertex, vertices, firstTriangle, triangles } of rest)
      if (showsWithin(shows, body.frameOf(firstVertex, vertices)))
        others.draw(indices, firstTriangle, triangles, 0, () => {});
    area += body.pixel * body.pixel * bareOf(shows, body.depth, others.depth);
  }
  return (area * 4 * 1e4) / (DIRECTIONS * 2);
}

/** Marks where body lies before cloth and near it; whether there is such a place. */
function inFront(body: Float32Array, cloth: Float32Array, reach: number, shows: Uint8Array): boolean {
  let any = 0;
  for (let i = 0; i < body.length; i++) {
    const behind = cloth[i] - body[i],
      there = behind > 0 && behind < reach ? 1 : 0;
    shows[i] = there;
    any |= there;
  }
  return any === 1;
}

function showsWithin(shows: Uint8Array, [left, right, low, high]: readonly [number, number, number, number]): boolean {
  for (let y = low; y <= high; y++)
    for (let i = (y * SIZE + left) * 2; i <= (y * SIZE + right) * 2 + 1; i++) if (shows[i]) return true;
  return false;
}

/** Of the places that are marked, those that nothing else lies before. */
function bareOf(shows: Uint8Array, body: Float32Array, others: Float32Array): number {
  let n = 0;
  for (let i = 0; i < shows.length; i++) if (shows[i] && body[i] < others[i]) n++;
  return n;
}

/** Directions spread evenly over half a sphere (Fibonacci lattice; Swinbank & Purser 2006). */
function hemisphere(count: number): [number, number, number][] {
  return Array.from({ length: count }, (_, i) => {
    const y = (i + 0.5) / count,
      r = Math.sqrt(1 - y * y),
      a = i * Math.PI * (3 - Math.sqrt(5));
    return [r * Math.cos(a), y, r * Math.sin(a)];
  });
}
