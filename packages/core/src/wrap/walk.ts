import { closestOn, faceNormal } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';

/** Steps a walk may take over the surface. */
const LONGEST_WALK = 64;
/** What is no further off lies on a triangle, metres. */
const ON = 2e-4;

export interface Walked {
  triangle: number;
  v: number;
  w: number;
  distanceSquared: number;
}

/**
 * Walks from a triangle to ever nearer ones beside it that don't face away from a direction: it stays on the wall that it
 * began on. The answer is overwritten by the next walk.
 */
export function walkOver({ points, corners, places }: Pick<Mesh, 'points' | 'corners' | 'places'>) {
  const start = new Uint32Array(points + 1);
  for (const p of corners) start[p + 1]++;
  for (let p = 0; p < points; p++) start[p + 1] += start[p];
  const next = start.slice(),
    around = new Uint32Array(corners.length);
  for (let t = 0; t < corners.length; t++) around[next[corners[t]]++] = Math.floor(t / 3);
  const count = corners.length / 3,
    normal = new Float64Array(3),
    facing = new Float64Array(corners.length),
    /** Walk in which a triangle was looked at last: none is looked at twice. */
    looked = new Uint32Array(count);
  for (let t = 0; t < corners.length; t += 3) {
    faceNormal(normal, places, corners[t] * 3, corners[t + 1] * 3, corners[t + 2] * 3);
    facing.set(normal, t);
  }
  let walk = 0;
  const hit: Walked = { triangle: 0, v: 0, w: 0, distanceSquared: Infinity };
  return (from: number, to: ArrayLike<number>, at: number, normals: ArrayLike<number>, o: number): Walked => {
    const x = to[at],
      y = to[at + 1],
      z = to[at + 2],
      nx = normals[o],
      ny = normals[o + 1],
      nz = normals[o + 2];
    if (++walk === 2 ** 32) {
      looked.fill(0);
      walk = 1;
    }
    looked[from] = walk;
    hit.triangle = from;
    hit.distanceSquared = Infinity;
    closestOn(places, corners, from * 3, x, y, z, hit);
    // Well inside a triangle that it lies on: nothing beside is nearer.
    if (hit.v > 0 && hit.w > 0 && hit.v + hit.w < 1 && hit.distanceSquared < ON * ON) return hit;
    for (let step = 0; step < LONGEST_WALK; step++) {
      const here = hit.triangle;
      for (let k = 0; k < 3; k++) {
        const p = corners[here * 3 + k];
        for (let m = start[p]; m < start[p + 1]; m++) {
          const t = around[m];
          if (looked[t] === walk) continue;
          looked[t] = walk;
          if (facing[t * 3] * nx + facing[t * 3 + 1] * ny + facing[t * 3 + 2] * nz < 0) continue;
          if (closestOn(places, corners, t * 3, x, y, z, hit)) hit.triangle = t;
        }
      }
      if (hit.triangle === here) break;
    }
    return hit;
  };
}
