import { bleedOutward, type Pixels } from '../../pixels/index.ts';
import { betweenCorners, degreesOf, vertexTangents } from '../../geometry/index.ts';
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
  /** Texels that another place on the surface wears too, each as often, and how many of these want another direction. */
  shared: number;
  disputed: number;
  /** Degrees between the finer surface and the one below: the mean, and the share of texels with more than {@link TELLING}. */
  meanDegrees: number;
  telling: number;
}

/** Degrees from which a direction is more than rounding and the choice of smoothing. */
export const TELLING = 2;
const TELLING_COSINE = 0.99939;
/** Cosine from which two places that share a texel are said to want different things: ten degrees. */
const DISPUTED = 0.985;
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
  const out = { texels: 0, missing: 0, shared: 0, disputed: 0, meanDegrees: 0, telling: 0 },
    place = new Float64Array(10),
    found = new Float64Array(3),
    local = new Float64Array(3),
    around = new Float64Array(6);
  let degrees = 0,
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
          if (!agrees(data, at, local)) out.disputed += SHARED_ASKED;
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
  // What lies level because nothing was found is not carried outward as a finding, nor overwritten.
  for (let i = 0; i < known.length; i++) if (known[i] === 2) known[i] = 3;
  bleedOutward(data, size, size, 4, known, OVER_BORDERS);
  for (let i = 0; i < known.length; i++) if (known[i] !== 1) known[i] = 0;
  return { pixels: { width: size, height: size, data }, known, ...out };
}

/** Calls `each` with every texel whose middle lies in a triangle, and its weights there; maps repeat beyond their edges. */
function eachTexel(
  uv: Float32Array,
  a: number,
  b: number,
  c: number,
  size: number,
  each: (at: number, la: number, lb: number, lc: number) => void,
): void {
  const ax = uv[a * 2] * size,
    ay = uv[a * 2 + 1] * size,
    bx = uv[b * 2] * size,
    by = uv[b * 2 + 1] * size,
    cx = uv[c * 2] * size,
    cy = uv[c * 2 + 1] * size,
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
  const x0 = Math.ceil(Math.min(ax, bx, cx) - 0.5),
    x1 = Math.floor(Math.max(ax, bx, cx) - 0.5),
    y0 = Math.ceil(Math.min(ay, by, cy) - 0.5),
    y1 = Math.floor(Math.max(ay, by, cy) - 0.5);
  // A triangle over many repeats of the map tiles it: nothing of the surface can be laid down there.
  if (!(x1 - x0 < 2 * size && y1 - y0 < 2 * size)) return;
  for (let y = y0; y <= y1; y++)
    for (let x = x0; x <= x1; x++) {
      const px = x + 0.5,
        py = y + 0.5,
        lb = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / area,
        lc = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / area,
        la = 1 - lb - lc;
      if (la < 0 || lb < 0 || lc < 0) continue;
      const column = ((x % size) + size) % size,
        row = ((y % size) + size) % size;
      each(row * size + column, la, lb, lc);
    }
}

/** Place (0…2), normal (3…5), tangent (6…8) and reach (9) of a point on a triangle; normal and tangent unit and square. */
function placeOn(
  out: Float64Array,
  p: Float32Array,
  n: Float32Array,
  t: Float32Array,
  reach: Float32Array,
  a: number,
  b: number,
  c: number,
  la: number,
  lb: number,
  lc: number,
): void {
  for (let k = 0; k < 3; k++) {
    out[k] = p[a * 3 + k] * la + p[b * 3 + k] * lb + p[c * 3 + k] * lc;
    out[3 + k] = n[a * 3 + k] * la + n[b * 3 + k] * lb + n[c * 3 + k] * lc;
    out[6 + k] = t[a * 3 + k] * la + t[b * 3 + k] * lb + t[c * 3 + k] * lc;
  }
  const l = Math.sqrt(out[3] * out[3] + out[4] * out[4] + out[5] * out[5]) || 1;
  for (let k = 3; k < 6; k++) out[k] /= l;
  const d = out[3] * out[6] + out[4] * out[7] + out[5] * out[8];
  for (let k = 0; k < 3; k++) out[6 + k] -= d * out[3 + k];
  const s = Math.sqrt(out[6] * out[6] + out[7] * out[7] + out[8] * out[8]) || 1;
  for (let k = 6; k < 9; k++) out[k] /= s;
  // A corner that knows nothing doesn't take away what the others know.
  out[9] = Math.max(reach[a] * la + reach[b] * lb + reach[c] * lc, 1e-6);
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

const agrees = (data: Uint8Array, at: number, d: Float64Array): boolean => {
  const x = data[at * 4] / 127.5 - 1,
    y = data[at * 4 + 1] / 127.5 - 1,
    z = data[at * 4 + 2] / 127.5 - 1;
  return x * d[0] + y * d[1] + z * d[2] > DISPUTED * Math.sqrt(x * x + y * y + z * z);
};
