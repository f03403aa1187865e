import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  facingOf,
  type Deformer,
  type Ground,
  groundOf,
  heightAbove,
  type Part,
} from '../character/index.ts';
import { LOOKED, unit, weldByPlace } from '../geometry/index.ts';
import { hitOf, type Moved, Moves, NOTHING_MOVED, placeOn, putMoved } from './moves.ts';

/** Left between the skin and what lies on it, metres: enough for a depth buffer. */
const CLEAR = 2e-4;
/** Nothing lies on the skin that is farther off, metres. */
const NEAR = 8e-3;
/** Nothing is moved by more, metres. */
const MOST = 4e-3;
/** Rounds in which the skin gives way, and in which after that what lies on it is lifted where the skin can be seen. */
const ROUNDS = 6,
  LIFTS = 3;

const isCap = (part: Part): boolean => part.kind === 'scalp',
  isSkin = (part: Part): boolean => part.kind === 'skin' && (part.role === 'head' || part.role === 'body');

/** What lies on the skin, with the edges that one of its triangles alone has. */
interface Cap extends Ground {
  border: ReadonlySet<number>;
  /** Number of the place of each vertex: a seam is no border. */
  pointOf: Uint32Array;
}

/** Two surfaces that lie close over each other, as they are at some time. */
export interface Layers {
  cap: Cap;
  skin: Ground;
}

/** What a scalp lies on, and how, before either is reduced; null where there is none. */
export function lookUnderCaps(document: Document): Layers | null {
  const deformer = createDeformer(document, (part) => isCap(part) || isSkin(part), false);
  return layersOf(deformer, deformer.evaluate(new Float32Array(deformer.vertices * 3)));
}

function layersOf(deformer: Deformer, positions: Float32Array): Layers | null {
  const cap = groundOf(deformer, positions, isCap),
    skin = cap && groundOf(deformer, positions, isSkin);
  return cap && skin && { cap: { ...cap, ...borderOf(cap) }, skin };
}

const edgeOf = (a: number, b: number, pointOf: Uint32Array): number =>
  Math.min(pointOf[a], pointOf[b]) * pointOf.length + Math.max(pointOf[a], pointOf[b]);

function borderOf({ positions, corners }: Ground): Pick<Cap, 'border' | 'pointOf'> {
  const { pointOf } = weldByPlace(positions),
    once = new Set<number>(),
    twice = new Set<number>();
  for (let t = 0; t < corners.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const edge = edgeOf(corners[t + k], corners[t + ((k + 1) % 3)], pointOf);
      (once.has(edge) ? twice : once).add(edge);
    }
  for (const edge of twice) once.delete(edge);
  return { border: once, pointOf };
}

/**
 * Two surfaces of fewer triangles cut through each other where they only lay close: skin that lay under a scalp before is
 * moved down below it again, unseen; near the scalp's border, where the skin shows, the scalp is lifted.
 * @param before both as they lay
 * @returns vertices that were moved, and by how much at most, millimetres
 */
export function keepBelow(document: Document, before: Layers): Moved {
  const deformer = createDeformer(document, (part) => isCap(part) || isSkin(part), false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    now = rest.slice();
  const layers = layersOf(deformer, now);
  if (!layers) return NOTHING_MOVED;
  const { pointOf } = weldByPlace(now),
    gives = verticesBelow(deformer, now, before);
  if (!gives.includes(1)) return NOTHING_MOVED;
  for (let round = 0; round < ROUNDS + LIFTS; round++) {
    const down = round < ROUNDS,
      moves = new Moves(pointOf, MOST, down ? gives : null);
    lookFromSkin(layers, before, moves, down, gives);
    lookFromCap(layers, before, moves, down);
    if (!moves.byPoint.size) break;
    moves.apply(now, rest);
    layers.cap.tree.refit(now);
    layers.skin.tree.refit(now);
  }
  return putMoved(document, deformer, rest, now);
}

/** How far a place on the skin lay under the scalp before, metres; nothing where it didn't. */
function depthBefore({ skin, cap }: Layers, x: number, y: number, z: number): number {
  if (skin.tree.closest(x, y, z) > NEAR) return 0;
  const [px, py, pz] = hitOf(skin),
    height = heightAbove(cap, px, py, pz);
  return height < 0 && height > -NEAR && !isOnBorder(cap) ? -height : 0;
}

/** Marks the vertices of the skin that lie under the scalp: nobody sees where they are. */
function verticesBelow({ ranges, vertices }: Deformer, positions: Float32Array, before: Layers): Uint8Array {
  const out = new Uint8Array(vertices);
  for (const { part, firstVertex, vertices: count } of ranges)
    if (isSkin(part))
      for (let v = firstVertex; v < firstVertex + count; v++)
        if (depthBefore(before, positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]) > 0) out[v] = 1;
  return out;
}

/** @param down whether the skin gives way; else the scalp is lifted @param low 1 for vertices of skin that nobody sees */
function lookFromSkin({ cap, skin }: Layers, before: Layers, moves: Moves, down: boolean, low: Uint8Array): void {
  for (let t = 0; t < skin.corners.length; t += 3) {
    const corners = [skin.corners[t], skin.corners[t + 1], skin.corners[t + 2]];
    if (!corners.some((v) => low[v])) continue;
    for (const shares of LOOKED) {
      const [x, y, z] = placeOn(skin, t, shares),
        height = heightAbove(cap, x, y, z);
      if (height > NEAR || height < -CLEAR || isOnBorder(cap)) continue;
      const { triangle, v, w } = cap.tree.hit,
        depth = depthBefore(before, x, y, z),
        missing = height + Math.min(CLEAR, depth);
      if (!depth || missing <= 0) continue;
      const up = unit(facingOf(cap, triangle));
      if (down) moves.ask(corners, shares, missing, [-up[0], -up[1], -up[2]]);
      else moves.ask(cornersOf(cap, triangle), [1 - v - w, v, w], missing, up);
    }
  }
}

function lookFromCap({ cap, skin }: Layers, before: Layers, moves: Moves, down: boolean): void {
  for (let t = 0; t < cap.corners.length; t += 3)
    for (const shares of LOOKED) {
      const [x, y, z] = placeOn(cap, t, shares),
        height = heightAbove(skin, x, y, z);
      if (height < -NEAR || height > CLEAR) continue;
      const { triangle, v, w } = skin.tree.hit,
        depth = depthBefore(before, ...hitOf(skin)),
        missing = Math.min(CLEAR, depth) - height;
      if (!depth || missing <= 0) continue;
      const up = unit(facingOf(skin, triangle));
      if (down) moves.ask(cornersOf(skin, triangle), [1 - v - w, v, w], missing, [-up[0], -up[1], -up[2]]);
      else moves.ask([cap.corners[t], cap.corners[t + 1], cap.corners[t + 2]], shares, missing, up);
    }
}

const cornersOf = ({ corners }: Ground, triangle: number): number[] => [
  corners[triangle * 3],
  corners[triangle * 3 + 1],
  corners[triangle * 3 + 2],
];

/** Whether the place that the scalp's tree found last lies on its border: beyond it there is none. */
function isOnBorder({ tree: { hit }, corners, border, pointOf }: Cap): boolean {
  const shares = [1 - hit.v - hit.w, hit.v, hit.w];
  return shares.some(
    (share, k) =>
      share < 1e-5 &&
      border.has(edgeOf(corners[hit.triangle * 3 + ((k + 1) % 3)], corners[hit.triangle * 3 + ((k + 2) % 3)], pointOf)),
  );
}
