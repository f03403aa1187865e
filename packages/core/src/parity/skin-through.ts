import { DepthBuffer } from '../geometry/index.ts';
import type { DrawnFigure } from './drawn.ts';

/** Directions, each looked along from both ends: 24 views. They find a flat patch within 11 % of its area, whichever way it faces (4 % RMS). */
const DIRECTIONS = 12;
/** Pixels along the longer side of a view. */
const SIZE = 384;
/** Skin lies through cloth where cloth lies behind it by no more than this, metres: what lies further back is another limb. */
const THROUGH = 0.02;

/** Layers of a view. */
const BODY = 0,
  CLOTH = 1,
  OTHERS = 2;

const CLOTHES = new Set(['garment', 'footwear']);

/** Whether a figure has skin under clothes at all. */
export const wearsClothes = ({ parts }: DrawnFigure): boolean =>
  parts.some(({ role }) => role === 'body') && parts.some(({ role }) => CLOTHES.has(role));

/**
 * Skin of the body that shows in front of the cloth which should cover it, square centimetres, in each shape. In each of
 * 24 parallel views a pixel counts where body is what is seen and cloth lies up to 2 cm behind it; a patch of area A is
 * seen on A/4 of the average view (Cauchy's mean projected area, one side).
 * @param shapes positions of the figure's vertices, metres
 */
export function skinThrough(figure: DrawnFigure, shapes: readonly Float32Array[]): number[] {
  // One buffer for all: its memory is given back late.
  const views = new DepthBuffer(SIZE, figure.indices, figure.vertices, { layers: 3 });
  return shapes.map((positions) => skinIn(figure, positions, views));
}

function skinIn({ parts }: DrawnFigure, positions: Float32Array, views: DepthBuffer): number {
  const shows = [new Uint32Array(SIZE * (SIZE + 8)), new Uint32Array(SIZE * (SIZE + 8))];
  const skin = parts.filter(({ role }) => role === 'body'),
    clothes = parts.filter(({ role }) => CLOTHES.has(role)),
    rest = parts.filter((part) => !skin.includes(part) && !clothes.includes(part));
  let area = 0;
  for (const direction of hemisphere(DIRECTIONS)) {
    views.lookAlong(direction, positions);
    for (const { firstTriangle, triangles } of skin) views.draw(firstTriangle, triangles, 0, BODY);
    for (const { firstTriangle, triangles } of clothes) views.draw(firstTriangle, triangles, 0, CLOTH);
    const reach = THROUGH / views.pixel,
      body = views.depths(BODY),
      cloth = views.depths(CLOTH);
    const found = shows.map((list, end) => list.subarray(0, inFront(body[end], cloth[end], reach, list)));
    if (!found.some((places) => places.length)) continue;
    // Hair, eyes and teeth matter only where they may lie before what shows.
    views.wantOnly(...found);
    for (const { firstTriangle, triangles } of rest) views.draw(firstTriangle, triangles, 0, OTHERS);
    const others = views.depths(OTHERS);
    for (const end of [0, 1]) area += views.pixel * views.pixel * bareOf(found[end], body[end], others[end]);
  }
  return (area * 4 * 1e4) / (DIRECTIONS * 2);
}

/** Lists the places where body lies before cloth and near it; how many there are. */
function inFront(body: Float32Array, cloth: Float32Array, reach: number, shows: Uint32Array): number {
  let n = 0;
  for (let i = 0; i < body.length; i++) {
    const behind = cloth[i] - body[i];
    if (behind > 0 && behind < reach) shows[n++] = i;
  }
  return n;
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
