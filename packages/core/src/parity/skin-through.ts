import type { Deformer } from '../character/index.ts';
import { DepthBuffer } from '../geometry/index.ts';

/** Directions, each looked along from both ends: 32 views. Four times as many find the same within 0.3 cm² a person; limits are tens. */
const DIRECTIONS = 16;
/** Pixels along the longer side of a view. */
const SIZE = 384;
/** Skin lies through cloth where cloth lies behind it by no more than this, metres: what lies further back is another limb. */
const THROUGH = 0.02;

const CLOTHES = new Set(['garment', 'footwear']);

/** Whether a figure has skin under clothes at all. */
export const wearsClothes = ({ ranges }: Deformer): boolean =>
  ranges.some(({ part }) => part.role === 'body') && ranges.some(({ part }) => CLOTHES.has(part.role));

/**
 * Skin of the body that shows in front of the cloth which should cover it, square centimetres. In each of 32 parallel
 * views a pixel counts where body is what is seen and cloth lies up to 2 cm behind it; a patch of area A is seen on
 * A/4 of the average view (Cauchy's mean projected area, one side).
 * @param positions of the deformer's vertices, metres
 */
export function skinThrough({ ranges, indices }: Deformer, positions: Float32Array): number {
  const body = new DepthBuffer(SIZE, false),
    cloth = new DepthBuffer(SIZE, false),
    others = new DepthBuffer(SIZE, false),
    shows = new Uint32Array(SIZE * SIZE * 2);
  const skin = ranges.filter(({ part }) => part.role === 'body'),
    clothes = ranges.filter(({ part }) => CLOTHES.has(part.role)),
    rest = ranges.filter((range) => !skin.includes(range) && !clothes.includes(range));
  let area = 0;
  for (const direction of hemisphere(DIRECTIONS)) {
    body.lookAlong(direction, positions);
    cloth.lookWith(body);
    for (const { firstTriangle, triangles } of skin) body.draw(indices, firstTriangle, triangles, 0, () => {});
    for (const { firstTriangle, triangles } of clothes) cloth.draw(indices, firstTriangle, triangles, 0, () => {});
    const found = shows.subarray(0, inFront(body, cloth, THROUGH / body.pixel, shows));
    if (!found.length) continue;
    others.lookWith(body);
    // Hair, eyes and teeth matter only where they may lie before what shows.
    for (const { firstVertex, vertices, firstTriangle, triangles } of rest)
      if (liesWithin(found, body.wide, body.frameOf(firstVertex, vertices)))
        others.draw(indices, firstTriangle, triangles, 0, () => {});
    area += body.pixel * body.pixel * bareOf(found, body.depth, others.depth);
  }
  return (area * 4 * 1e4) / (DIRECTIONS * 2);
}

/** Lists the places where body lies before cloth and near it; how many there are. */
function inFront(body: DepthBuffer, cloth: DepthBuffer, reach: number, shows: Uint32Array): number {
  const { used } = body,
    skin = body.depth,
    over = cloth.depth;
  let n = 0;
  for (let i = 0; i < used; i++) {
    const behind = over[i] - skin[i];
    if (behind > 0 && behind < reach) shows[n++] = i;
  }
  return n;
}

/** Whether one of the places lies in a rectangle of a picture whose rows are `wide` pixels. */
function liesWithin(
  places: Uint32Array,
  wide: number,
  [left, right, low, high]: readonly [number, number, number, number],
): boolean {
  for (const i of places) {
    const x = (i >> 1) % wide,
      y = ((i >> 1) / wide) | 0;
    if (x >= left && x <= right && y >= low && y <= high) return true;
  }
  return false;
}

/** Of the places, those that nothing else lies before. */
function bareOf(places: Uint32Array, body: Float32Array, others: Float32Array): number {
  let n = 0;
  for (const i of places) if (body[i] < others[i]) n++;
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
