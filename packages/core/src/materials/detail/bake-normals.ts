import { bleedOutward, type Pixels } from '../../pixels/index.ts';
import { betweenCorners, degreesOf, eachTexel, placeOn, vertexTangents } from '../../geometry/index.ts';
import type { Cage } from './cage.ts';
import type { FineSurface, Surface } from './fine-surface.ts';

/** Triangles that share a map: a stretch of the surface below with its texture places. */
export interface Stretch {
  firstVertex: number;
  vertices: number;
  firstTriangle: number;
  triangles: number;
  /** two per vertex of the stretch */
  uv: Float32Array;
}

export interface Baked {
  pixels: Pixels;
  /** 1 where a texel was filled from the finer surface or lies beside such. */
  known: Uint8Array;
  /** Texels under some triangle, and those of them where the finer surface has nothing. */
  texels: number;
  missing: number;
  /** Texels that another place on the surface wears too, each as often. */
  shared: number;
  /** Degrees by which such places want another direction than the map has, the mean. */
  disputedDegrees: number;
  /** Degrees between the finer surface and the one below: the mean, and the share of texels with more than {@link TELLING}. */
  meanDegrees: number;
  telling: number;
}

/** Degrees from which a direction is more than rounding and the choice of smoothing. */
export const TELLING = 2;
const TELLING_COSINE = 0.99939;
/** Of texels that are shared one in as many is asked: who tiles a map shares each of them a hundred times. */
const SHARED_ASKED = 5;
/** Rings carried over the borders of islands, texels: what is seen of them in the coarser mip levels. */
const OVER_BORDERS = 16;

/**
 * Directions of the finer surface as a tangent-space map over the one below. Each texel looks along the smooth normal of
 * its place, from outside to as deep inside, for the front it meets first within the cage (Cignoni et al. 1998 sample a
 * detail texture like this; cages as usual for it); where it meets nothing the nearest place does. The frame is
 * MikkTSpace's, as glTF wants it.
 * @param size side of the map, texels
 */
export function bakeNormals(
  low: Surface,
  stretches: readonly Stretch[],
  fine: FineSurface,
  { reach }: Cage,
  size: number,
  stop: () => void = () => {},
): Baked {
  const data = new Uint8Array(size * size * 4),
    known = new Uint8Array(size * size);
  for (let i = 0; i < data.length; i += 4) {
    data[i] = data[i + 1] = 128;
    data[i + 2] = data[i + 3] = 255;
  }
  const out = { texels: 0, missing: 0, shared: 0, disputedDegrees: 0, meanDegrees: 0, telling: 0 },
    place = new Float64Array(10),
    found = new Float64Array(3),
    local = new Float64Array(3),
    around = new Float64Array(6);
  let degrees = 0,
    asked = 0,
    rows = 0;
  for (const stretch of stretches) {
    const { firstVertex, vertices, firstTriangle, triangles, uv } = stretch,
      own = low.indices
        .subarray(firstTriangle * 3, (firstTriangle + triangles) * 3)
        .map((corner) => corner - firstVertex),
      positions = low.positions.subarray(firstVertex * 3, (firstVertex + vertices) * 3),
      normals = low.normals.subarray(firstVertex * 3, (firstVertex + vertices) * 3),
      ownReach = reach.subarray(firstVertex, firstVertex + vertices),
      { plain, mirrored, hand } = vertexTangents(positions, normals, uv, own);
    for (let t = 0; t < triangles; t++) {
      const [a, b, c] = [own[t * 3], own[t * 3 + 1], own[t * 3 + 2]];
      if (!hand[t]) continue;
      const tangents = hand[t] > 0 ? plain : mirrored,
        reached = ownReach[a] > 0 || ownReach[b] > 0 || ownReach[c] > 0;
      const starts = reached ? fine.tree.nodesWithin(boxAround(around, positions, ownReach, a, b, c)) : NOWHERE;
      let hint = -1;
      eachTexel(uv, a, b, c, size, (at, la, lb, lc) => {
        const again = known[at] === 1;
        if (again) {
          out.shared++;
          if (at % SHARED_ASKED) return;
        }
        if (reached) {
          placeOn(place, positions, normals, tangents, ownReach, a, b, c, la, lb, lc);
          hint = lookFor(found, place, fine, starts, hint);
        }
        if (hint < 0) {
          if (!known[at]) {
            out.texels++;
            out.missing++;
            // Level, and counted once.
            known[at] = 2;
          }
          return;
        }
        intoFrame(local, found, place, hand[t]);
        if (again) {
          out.disputedDegrees += degreesOff(data, at, local);
          asked++;
          return;
        }
        if (known[at] === 2) out.missing--;
        else out.texels++;
        known[at] = 1;
        write(data, at, local);
        if (local[2] < TELLING_COSINE) out.telling++;
        degrees += degreesOf(Math.sqrt(Math.max(0, 1 - local[2] * local[2])), local[2]);
      });
      if ((++rows & 255) === 0) stop();
    }
  }
  const filled = out.texels - out.missing;
  out.meanDegrees = filled ? degrees / filled : 0;
  out.telling = filled ? out.telling / filled : 0;
  out.disputedDegrees /= Math.max(1, asked);
  // What lies level because nothing was found is not carried outward as a finding, nor overwritten.
  for (let i = 0; i < known.length; i++) if (known[i] === 2) known[i] = 3;
  bleedOutward(data, size, size, 4, known, OVER_BORDERS);
  for (let i = 0; i < known.length; i++) if (known[i] !== 1) known[i] = 0;
  return { pixels: { width: size, height: size, data }, known, ...out };
}

const NOWHERE = new Uint32Array(0);

/** All that rays from a triangle can touch: min xyz, max xyz. */
function boxAround(
  out: Float64Array,
  p: Float32Array,
  reach: Float32Array,
  a: number,
  b: number,
  c: number,
): Float64Array {
  const wide = Math.max(reach[a], reach[b], reach[c]) + 1e-5;
  for (let k = 0; k < 3; k++) {
    const x = p[a * 3 + k],
      y = p[b * 3 + k],
      z = p[c * 3 + k];
    out[k] = Math.min(x, y, z) - wide;
    out[k + 3] = Math.max(x, y, z) + wide;
  }
  return out;
}

/** The finer surface's direction at a place. @param starts where rays from there begin in its tree @param hint a triangle believed near @returns the triangle, −1 for none */
function lookFor(
  out: Float64Array,
  place: Float64Array,
  { tree, normals, indices }: FineSurface,
  starts: Uint32Array,
  hint: number,
): number {
  const x = place[0],
    y = place[1],
    z = place[2],
    nx = place[3],
    ny = place[4],
    nz = place[5],
    reach = place[9];
  let triangle = -1,
    v = 0,
    w = 0;
  if (tree.ray(x + nx * reach, y + ny * reach, z + nz * reach, -nx, -ny, -nz, 2 * reach, false, starts))
    ({ triangle, v, w } = tree.met);
  else {
    const { hit } = tree;
    if (!(tree.closest(x, y, z, hint) <= 1.5 * reach) || hit.triangle < 0) return -1;
    ({ triangle, v, w } = hit);
  }
  betweenCorners(out, normals, indices, triangle, v, w);
  const l = Math.sqrt(out[0] * out[0] + out[1] * out[1] + out[2] * out[2]);
  // A surface that looks away is another one.
  if (!(out[0] * nx + out[1] * ny + out[2] * nz > 0.1 * l)) return -1;
  for (let k = 0; k < 3; k++) out[k] /= l;
  return triangle;
}

/** A direction in the frame of a place: along the tangent, along hand × (normal × tangent), along the normal. */
function intoFrame(out: Float64Array, d: Float64Array, place: Float64Array, hand: number): void {
  const nx = place[3],
    ny = place[4],
    nz = place[5],
    tx = place[6],
    ty = place[7],
    tz = place[8];
  out[0] = d[0] * tx + d[1] * ty + d[2] * tz;
  out[1] = hand * (d[0] * (ny * tz - nz * ty) + d[1] * (nz * tx - nx * tz) + d[2] * (nx * ty - ny * tx));
  out[2] = d[0] * nx + d[1] * ny + d[2] * nz;
}

const write = (data: Uint8Array, at: number, d: Float64Array): void => {
  for (let k = 0; k < 3; k++) data[at * 4 + k] = Math.round((d[k] + 1) * 127.5);
};

/** Degrees between a direction and what the map has. */
const degreesOff = (data: Uint8Array, at: number, d: Float64Array): number => {
  const x = data[at * 4] / 127.5 - 1,
    y = data[at * 4 + 1] / 127.5 - 1,
    z = data[at * 4 + 2] / 127.5 - 1,
    cosine = Math.min(1, (x * d[0] + y * d[1] + z * d[2]) / Math.sqrt(x * x + y * y + z * z));
  return degreesOf(Math.sqrt(1 - cosine * cosine), cosine);
};
