import type { Document } from '@gltf-transform/core';
import { type Deformer, far, floatsOf, type Ground, standsOff } from '../character/index.ts';
import type { Shares } from '../geometry/index.ts';

export type Point = [number, number, number];

/** Movements that are asked for, by point; of several for one the longest. */
export class Moves {
  readonly byPoint = new Map<number, Point>();

  /**
   * @param pointOf number of the place of each vertex
   * @param most nothing is moved by more, metres
   * @param gives 1 for vertices that give way; all where left out
   */
  constructor(
    private readonly pointOf: Uint32Array,
    private readonly most: number,
    private readonly gives: Uint8Array | null = null,
  ) {}

  /** The smallest movement of a triangle's corners that brings a place on it `by` metres along a direction. */
  ask(corners: readonly number[], shares: Shares, by: number, direction: Readonly<Point>): void {
    const free = corners.map((v, k) => (!this.gives || this.gives[v] ? shares[k] : 0)),
      squares = free.reduce((sum, share) => sum + share * share, 0);
    if (squares < 0.02) return;
    corners.forEach((v, k) => {
      const length = Math.min(this.most, (by * free[k]) / squares),
        point = this.pointOf[v],
        known = this.byPoint.get(point);
      if (length > (known ? Math.hypot(...known) : 0))
        this.byPoint.set(point, direction.map((x) => x * length) as Point);
    });
  }

  /** @param now where vertices are, three each; moved @param rest where they were at first */
  apply(now: Float32Array, rest: Float32Array): void {
    for (let v = 0; v < this.pointOf.length; v++) {
      const by = this.byPoint.get(this.pointOf[v]);
      if (!by) continue;
      for (let k = 0; k < 3; k++) now[v * 3 + k] += by[k];
      const gone = far(now.subarray(v * 3, v * 3 + 3), rest.subarray(v * 3, v * 3 + 3));
      if (gone > this.most)
        for (let k = 0; k < 3; k++)
          now[v * 3 + k] = rest[v * 3 + k] + ((now[v * 3 + k] - rest[v * 3 + k]) * this.most) / gone;
    }
  }
}

/** Vertices that were moved, and by how much at most. */
export interface Moved {
  vertices: number;
  mostMm: number;
}
export const NOTHING_MOVED: Readonly<Moved> = Object.freeze({ vertices: 0, mostMm: 0 });

/** Puts vertices where they were moved to, in parts that stand as they are or are only moved; others stay. */
export function putMoved(document: Document, { ranges }: Deformer, rest: Float32Array, now: Float32Array): Moved {
  const told = { ...NOTHING_MOVED };
  for (const { part, firstVertex, vertices } of ranges) {
    const accessor = part.prim.getAttribute('POSITION'),
      there = rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3),
      off = accessor && standsOff(floatsOf(accessor), there);
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

/** A place on a triangle, `t` its first corner. */
export function placeOn({ positions, corners }: Ground, t: number, shares: Shares): Point {
  const out: Point = [0, 0, 0];
  for (let c = 0; c < 3; c++) for (let k = 0; k < 3; k++) out[k] += shares[c] * positions[corners[t + c] * 3 + k];
  return out;
}

/** The place that the ground's tree found last. */
export function hitOf(ground: Ground): Point {
  const { triangle, v, w } = ground.tree.hit;
  return placeOn(ground, triangle * 3, [1 - v - w, v, w]);
}
