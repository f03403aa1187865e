import { closestOn, faceNormal } from '../geometry/index.ts';
import type { Mesh } from './mesh.ts';

/** Steps a walk may take over the surface. */
const LONGEST_WALK = 64;
/** What is no further off lies on a triangle, metres. */
const ON = 2e-4;
/** Cosine of the angle from which on a surface is folded so sharply that only looking tells what is nearest. */
const SHARP = 0.2;
/** Edges that may lie between where a walk begins and where it ends, for the quick way. */
const ACROSS = 4;
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
  const flats = flatsOf(places, corners, start, around),
    beyond = beyondEdges(corners, start, around);
  let walk = 0;
  const hit: Walked = { triangle: 0, v: 0, w: 0, distanceSquared: Infinity };
  return (from: number, to: ArrayLike<number>, at: number, normals: ArrayLike<number>, o: number): Walked => {
    const x = to[at],
      y = to[at + 1],
      z = to[at + 2],
      nx = normals[o],
      ny = normals[o + 1],
      nz = normals[o + 2];
    // Over the edges that lie between, to the triangle that it is well above: nothing beside is nearer.
    for (let at = from, step = 0; step < ACROSS; step++) {
      const f = at * FLAT,
        v = flats[f] * x + flats[f + 1] * y + flats[f + 2] * z + flats[f + 3],
        w = flats[f + 4] * x + flats[f + 5] * y + flats[f + 6] * z + flats[f + 7],
        u = 1 - v - w;
      if (v > 0 && w > 0 && u > 0) {
        const d = Math.abs(flats[f + 8] * x + flats[f + 9] * y + flats[f + 10] * z + flats[f + 11]);
        if (d < ON || Math.min(u, v, w) * flats[f + 12] > d) {
          hit.triangle = at;
          hit.v = v;
          hit.w = w;
          hit.distanceSquared = d * d;
          return hit;
        }
        break;
      }
      at = beyond[at * 3 + (u < v ? (u < w ? 1 : 0) : v < w ? 2 : 0)];
      if (at < 0 || facing[at * 3] * nx + facing[at * 3 + 1] * ny + facing[at * 3 + 2] * nz < 0) break;
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
 * more), and how high a place may be at most, in shares of its nearest corner's share: a plane that rises by θ beyond an edge at
 * a distance e is nearer to a place d above only where d tan θ > e. None of a triangle without area is a number.
 * @param around triangles at each point, from `start` on
 */
function flatsOf(places: Float32Array, corners: Uint32Array, start: Uint32Array, around: Uint32Array): Float64Array {
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
    // Its smallest height.
    out[f + 12] =
      l / Math.sqrt(Math.max(ux * ux + uy * uy + uz * uz, vx * vx + vy * vy + vz * vz, wx * wx + wy * wy + wz * wz));
  }
  for (let i = 0; i < corners.length; i += 3) {
    const f = (i / 3) * FLAT;
    let cos = 1;
    for (let k = 0; k < 3; k++)
      for (let m = start[corners[i + k]]; m < start[corners[i + k] + 1]; m++) {
        const g = around[m] * FLAT,
          dot = out[f + 8] * out[g + 8] + out[f + 9] * out[g + 9] + out[f + 10] * out[g + 10];
        if (!(dot >= cos)) cos = dot;
      }
    // No number is no answer either.
    out[f + 12] *= cos > SHARP ? cos / Math.sqrt(Math.max(1e-12, 1 - cos * cos)) : 0;
  }
  return out;
}

/** Of each triangle those beyond its edges 1–2, 2–3 and 3–1; −1 at a border. @param around triangles at each point, from `start` on */
function beyondEdges(corners: Uint32Array, start: Uint32Array, around: Uint32Array): Int32Array {
  const out = new Int32Array(corners.length).fill(-1);
  for (let i = 0; i < corners.length; i++) {
    const t = Math.floor(i / 3),
      a = corners[i],
      b = corners[i % 3 === 2 ? i - 2 : i + 1];
    for (let m = start[a]; m < start[a + 1]; m++) {
      const other = around[m] * 3;
      if (other === t * 3) continue;
      if (corners[other] !== b && corners[other + 1] !== b && corners[other + 2] !== b) continue;
      out[i] = around[m];
      break;
    }
  }
  return out;
}
