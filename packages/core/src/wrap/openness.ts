import { BlockingTree } from '../geometry/index.ts';

/** Directions over the half sphere before a point, and how far they look, metres. */
export const RAYS = 24;
const REACH = 0.06;
/** How far off the surface looking begins, metres. */
const OFF = 2e-4;
/** What is less open than `HIDDEN` lies inside; what is more than `SEEN` does not. */
const HIDDEN = 0.25;
const SEEN = 0.45;

/** Something that may stand before a surface. */
export interface Before {
  places: Float32Array;
  corners: Uint32Array;
}

/**
 * How much of the half sphere before each point is free, 0 … 1: what little can be seen of a mouth's inside, of sockets
 * behind eyeballs and of nostrils from outside.
 * @param before all that stands in the way, the surface itself among it
 */
export function opennessOf(
  places: Float32Array,
  normals: Float32Array,
  before: readonly Before[],
  stop: () => void = () => {},
  count = RAYS,
): Float32Array {
  const tree = treeOf(before),
    out = new Float32Array(places.length / 3),
    rays = spiral(count);
  for (let i = 0; i < out.length; i++) {
    if (i % 2048 === 0) stop();
    const nx = normals[i * 3],
      ny = normals[i * 3 + 1],
      nz = normals[i * 3 + 2],
      // A frame about the normal (Duff et al. 2017).
      sign = nz < 0 ? -1 : 1,
      a = -1 / (sign + nz),
      b = nx * ny * a,
      px = places[i * 3] + nx * OFF,
      py = places[i * 3 + 1] + ny * OFF,
      pz = places[i * 3 + 2] + nz * OFF;
    let free = 0;
    for (let k = 0; k < count; k++) {
      const u = rays[k * 3],
        v = rays[k * 3 + 1],
        w = rays[k * 3 + 2],
        dx = u * (1 + sign * nx * nx * a) + v * b + w * nx,
        dy = u * sign * b + v * (sign + ny * ny * a) + w * ny,
        dz = -u * sign * nx - v * ny + w * nz;
      if (!tree.blocks(px, py, pz, dx, dy, dz, REACH)) free++;
    }
    out[i] = free / count;
  }
  return out;
}

function treeOf(before: readonly Before[]): BlockingTree {
  const places = new Float32Array(before.reduce((sum, one) => sum + one.places.length, 0)),
    corners = new Uint32Array(before.reduce((sum, one) => sum + one.corners.length, 0));
  let point = 0,
    at = 0;
  for (const one of before) {
    places.set(one.places, point * 3);
    for (let k = 0; k < one.corners.length; k++) corners[at + k] = one.corners[k] + point;
    point += one.places.length / 3;
    at += one.corners.length;
  }
  return new BlockingTree(places, corners);
}

/** How far a point of some openness is trusted to lie on the other's outside, 0 … 1. */
export const trustOf = (open: number): number => Math.max(0, Math.min(1, (open - HIDDEN) / (SEEN - HIDDEN)));
export const isHidden = (open: number): boolean => open < HIDDEN;

/** Directions over the half sphere about +z by the golden angle, as many near its rim as in its middle for their solid angle. */
function spiral(count: number): Float64Array {
  const out = new Float64Array(count * 3);
  // cos and sin of the golden angle; turned on by multiplication, so that the same bytes come out everywhere.
  const cos = -0.7373688780783197,
    sin = 0.6754902942615238;
  let x = 1,
    y = 0;
  for (let k = 0; k < count; k++) {
    const w = 1 - (k + 0.5) / count,
      r = Math.sqrt(1 - w * w);
    out.set([r * x, r * y, w], k * 3);
    [x, y] = [x * cos - y * sin, x * sin + y * cos];
  }
  return out;
}
