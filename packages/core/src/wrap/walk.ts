import { closestOn, faceNormal } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';

/** Steps a walk may take over the surface. */
const LONGEST_WALK = 64;
/** What is no further off lies on a triangle, metres. */
const ON = 2e-4;
/**
 * Above a triangle, further from its edges than this many times its height over it, nothing beside is nearer, unless the surface
 * folds up there by more than 63°: the place on a plane behind an edge is nearer only where tan θ > edge distance / height.
 */
const INSIDE = 2;
/** Numbers of a triangle in {@link flatsOf}. */
const FLAT = 13;

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
  const flats = flatsOf(places, corners);
  let walk = 0;
  const hit: Walked = { triangle: 0, v: 0, w: 0, distanceSquared: Infinity };
  return (from: number, to: ArrayLike<number>, at: number, normals: ArrayLike<number>, o: number): Walked => {
    const x = to[at],
      y = to[at + 1],
      z = to[at + 2],
      nx = normals[o],
      ny = normals[o + 1],
      nz = normals[o + 2];
    // Well above a triangle: nothing beside is nearer.
    const f = from * FLAT,
      v = flats[f] * x + flats[f + 1] * y + flats[f + 2] * z + flats[f + 3],
      w = flats[f + 4] * x + flats[f + 5] * y + flats[f + 6] * z + flats[f + 7];
    if (v > 0 && w > 0 && v + w < 1) {
      const d = Math.abs(flats[f + 8] * x + flats[f + 9] * y + flats[f + 10] * z + flats[f + 11]);
      if (d < ON || Math.min(v, w, 1 - v - w) * flats[f + 12] > INSIDE * d) {
        hit.triangle = from;
        hit.v = v;
        hit.w = w;
        hit.distanceSquared = d * d;
        return hit;
      }
    }
    if (++walk === 2 ** 32) {
      looked.fill(0);
      walk = 1;
    }
    looked[from] = walk;
    hit.triangle = from;
    hit.distanceSquared = Infinity;
    closestOn(places, corners, from * 3, x, y, z, hit);
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

/**
 * Of each triangle how shares of corners 2 and 3 and the height over it come from a place (four numbers each: x, y, z and one
 * more), and its smallest height. None of a triangle without area is a number.
 */
function flatsOf(places: Float32Array, corners: Uint32Array): Float64Array {
  const out = new Float64Array((corners.length / 3) * FLAT);
  for (let t = 0, f = 0; t < corners.length; t += 3, f += FLAT) {
    const a = corners[t] * 3,
      b = corners[t + 1] * 3,
      c = corners[t + 2] * 3,
      ax = places[a],
      ay = places[a + 1],
      az = places[a + 2],
      ux = places[b] - ax,
      uy = places[b + 1] - ay,
      uz = places[b + 2] - az,
      vx = places[c] - ax,
      vy = places[c + 1] - ay,
      vz = places[c + 2] - az,
      nx = uy * vz - uz * vy,
      ny = uz * vx - ux * vz,
      nz = ux * vy - uy * vx,
      nn = nx * nx + ny * ny + nz * nz,
      l = Math.sqrt(nn);
    out[f] = (vy * nz - vz * ny) / nn;
    out[f + 1] = (vz * nx - vx * nz) / nn;
    out[f + 2] = (vx * ny - vy * nx) / nn;
    out[f + 4] = (ny * uz - nz * uy) / nn;
    out[f + 5] = (nz * ux - nx * uz) / nn;
    out[f + 6] = (nx * uy - ny * ux) / nn;
    out[f + 8] = nx / l;
    out[f + 9] = ny / l;
    out[f + 10] = nz / l;
    for (let k = f; k < f + 12; k += 4) out[k + 3] = -(out[k] * ax + out[k + 1] * ay + out[k + 2] * az);
    const wx = vx - ux,
      wy = vy - uy,
      wz = vz - uz;
    out[f + 12] =
      l / Math.sqrt(Math.max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz));
  }
  return out;
}
