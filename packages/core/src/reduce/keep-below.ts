import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  facingOf,
  type Deformer,
  far,
  floatsOf,
  type Ground,
  groundOf,
  heightAbove,
  type Part,
  standsOff,
} from '../character/index.ts';
import { LOOKED, type Shares, unit, weldByPlace } from '../geometry/index.ts';

type Point = [number, number, number];

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
export function keepBelow(document: Document, before: Layers): { vertices: number; mostMm: number } {
  const deformer = createDeformer(document, (part) => isCap(part) || isSkin(part), false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    now = rest.slice(),
    told = { vertices: 0, mostMm: 0 };
  const layers = layersOf(deformer, now);
  if (!layers) return told;
  const { pointOf } = weldByPlace(now),
    gives = verticesBelow(deformer, now, before);
  if (!gives.includes(1)) return told;
  for (let round = 0; round < ROUNDS + LIFTS; round++) {
    const moves = new Moves(pointOf, gives, round < ROUNDS);
    lookFromSkin(layers, before, moves);
    lookFromCap(layers, before, moves);
    if (!moves.byPoint.size) break;
    moves.apply(now, rest);
    layers.cap.tree.refit(now);
    layers.skin.tree.refit(now);
  }
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const accessor = part.prim.getAttribute('POSITION'),
      there = rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3);
    const off = accessor && standsOff(floatsOf(accessor), there);
    if (!off) continue;
    const moved = now.slice(firstVertex * 3, (firstVertex + vertices) * 3);
    let most = 0;
    for (let v = 0; v < moved.length; v += 3) {
      const by = far(moved.subarray(v, v + 3), there.subarray(v, v + 3));
      if (by > 0) told.vertices++;
      most = Math.max(most, by);
    }
    if (!most) continue;
    told.mostMm = Math.max(told.mostMm, most * 1000);
    for (let i = 0; i < moved.length; i++) moved[i] -= off[i % 3];
    part.prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(moved));
  }
  return told;
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

/** Movements that are asked for, by point; of several for one the longest. */
class Moves {
  readonly byPoint = new Map<number, Point>();

  constructor(
    private readonly pointOf: Uint32Array,
    private readonly gives: Uint8Array,
    /** The skin gives way; else the scalp is lifted. */
    readonly down: boolean,
  ) {}

  isLow(corners: ArrayLike<number>): boolean {
    return this.gives[corners[0]] + this.gives[corners[1]] + this.gives[corners[2]] > 0;
  }

  /** The smallest movement of a triangle's corners that brings a place on it `by` metres along a direction. */
  ask(corners: readonly number[], shares: Shares, by: number, direction: Readonly<Point>): void {
    const free = corners.map((v, k) => (!this.down || this.gives[v] ? shares[k] : 0)),
      squares = free.reduce((sum, share) => sum + share * share, 0);
    if (squares < 0.02) return;
    corners.forEach((v, k) => {
      const length = Math.min(MOST, (by * free[k]) / squares),
        point = this.pointOf[v],
        known = this.byPoint.get(point);
      if (length > (known ? Math.hypot(...known) : 0))
        this.byPoint.set(point, direction.map((x) => x * length) as Point);
    });
  }

  apply(now: Float32Array, rest: Float32Array): void {
    for (let v = 0; v < this.pointOf.length; v++) {
      const by = this.byPoint.get(this.pointOf[v]);
      if (!by) continue;
      for (let k = 0; k < 3; k++) now[v * 3 + k] += by[k];
      const gone = far(now.subarray(v * 3, v * 3 + 3), rest.subarray(v * 3, v * 3 + 3));
      if (gone > MOST)
        for (let k = 0; k < 3; k++)
          now[v * 3 + k] = rest[v * 3 + k] + ((now[v * 3 + k] - rest[v * 3 + k]) * MOST) / gone;
    }
  }
}

function lookFromSkin({ cap, skin }: Layers, before: Layers, moves: Moves): void {
  for (let t = 0; t < skin.corners.length; t += 3) {
    const corners = [skin.corners[t], skin.corners[t + 1], skin.corners[t + 2]];
    if (!moves.isLow(corners)) continue;
    for (const shares of LOOKED) {
      const [x, y, z] = placeOn(skin, t, shares),
        height = heightAbove(cap, x, y, z);
      if (height > NEAR || height < -CLEAR || isOnBorder(cap)) continue;
      const { triangle, v, w } = cap.tree.hit,
        depth = depthBefore(before, x, y, z),
        missing = height + Math.min(CLEAR, depth);
      if (!depth || missing <= 0) continue;
      const up = unit(facingOf(cap, triangle));
      if (moves.down) moves.ask(corners, shares, missing, [-up[0], -up[1], -up[2]]);
      else moves.ask(cornersOf(cap, triangle), [1 - v - w, v, w], missing, up);
    }
  }
}

function lookFromCap({ cap, skin }: Layers, before: Layers, moves: Moves): void {
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
      if (moves.down) moves.ask(cornersOf(skin, triangle), [1 - v - w, v, w], missing, [-up[0], -up[1], -up[2]]);
      else moves.ask([cap.corners[t], cap.corners[t + 1], cap.corners[t + 2]], shares, missing, up);
    }
}

const cornersOf = ({ corners }: Ground, triangle: number): number[] => [
  corners[triangle * 3],
  corners[triangle * 3 + 1],
  corners[triangle * 3 + 2],
];

function placeOn({ positions, corners }: Ground, t: number, shares: Shares): Point {
  const out: Point = [0, 0, 0];
  for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) out[k] += shares[c] * positions[corners[t + c] * 3 + k];
  return out;
}

/** The place that the ground's tree found last. */
function hitOf(ground: Ground): Point {
  const { triangle, v, w } = ground.tree.hit;
  return placeOn(ground, triangle * 3, [1 - v - w, v, w]);
}

/** Whether the place that the scalp's tree found last lies on its border: beyond it there is none. */
function isOnBorder({ tree: { hit }, corners, border, pointOf }: Cap): boolean {
  const shares = [1 - hit.v - hit.w, hit.v, hit.w];
  return shares.some(
    (share, k) =>
      share < 1e-5 &&
      border.has(edgeOf(corners[hit.triangle * 3 + ((k + 1) % 3)], corners[hit.triangle * 3 + ((k + 2) % 3)], pointOf)),
  );
}
