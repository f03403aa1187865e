import type { Document } from '@gltf-transform/core';
import { createDeformer } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';
import { isSkin, type Mesh, type Skin } from '../wrap/index.ts';

/** A point of which no direction is known to be turned keeps what its neighbours do; edges shorter than this say nothing, metres. */
const SHORT = 1e-7;
/** Rounds in which maps of neighbours are mixed. */
const ROUNDS = 12;

/** How a figure's own morphs move its skin once that has another shape: per name, xyz of each of its vertices. */
export type OwnMorphs = ReadonlyMap<string, Float32Array>;

/**
 * Morphs of a figure that somebody else lacks, as they move that somebody's shape: each movement turned and stretched as the
 * surface around its vertex was (Sumner & Popović 2004, with one map per point).
 * @param body the skin of `figure`, which stands at rest
 * @param places where the points of its mesh came to lie
 * @param lacks whether a morph of this name is wanted
 */
export function ownMorphs(
  figure: Document,
  { mesh, rest }: Skin,
  places: Float32Array,
  lacks: (name: string) => boolean,
): OwnMorphs {
  const deformer = createDeformer(figure, isSkin),
    names = [...new Set(deformer.ranges.flatMap(({ part }) => part.morphNames))].filter(lacks),
    posed = new Float32Array(rest.length),
    out = new Map<string, Float32Array>();
  if (!names.length) return out;
  const maps = evened(mapsOfPoints(mesh, places), mesh);
  for (const name of names) {
    deformer.evaluate(posed, { [name]: 1 });
    const delta = new Float32Array(rest.length);
    let moves = false;
    for (let v = 0; v * 3 < rest.length; v++) {
      const o = v * 3,
        m = mesh.pointOf[v] * 9,
        x = posed[o] - rest[o],
        y = posed[o + 1] - rest[o + 1],
        z = posed[o + 2] - rest[o + 2];
      if (Math.abs(x) + Math.abs(y) + Math.abs(z) < SHORT) continue;
      moves = true;
      for (let k = 0; k < 3; k++)
        delta[o + k] = maps[m + k * 3] * x + maps[m + k * 3 + 1] * y + maps[m + k * 3 + 2] * z;
    }
    if (moves) out.set(name, delta);
  }
  return out;
}

/**
 * The linear map that each point's surroundings went through, nine numbers row by row: the one that takes its edges to where
 * they lie now in the sense of least squares, and its normal to the normal there, stretched as edges are.
 */
export function mapsOfPoints(mesh: Mesh, places: Float32Array): Float64Array<ArrayBuffer> {
  const { points, start, neighbour, places: before, normals } = mesh,
    after = vertexNormals(places, mesh.corners),
    out = new Float64Array(points * 9),
    e = new Float64Array(3),
    f = new Float64Array(3),
    a = new Float64Array(9),
    b = new Float64Array(9);
  for (let p = 0; p < points; p++) {
    a.fill(0);
    b.fill(0);
    let was = 0,
      is = 0;
    for (let k = start[p]; k < start[p + 1]; k++) {
      const q = neighbour[k];
      for (let c = 0; c < 3; c++) {
        e[c] = before[q * 3 + c] - before[p * 3 + c];
        f[c] = places[q * 3 + c] - places[p * 3 + c];
      }
      was += e[0] * e[0] + e[1] * e[1] + e[2] * e[2];
      is += f[0] * f[0] + f[1] * f[1] + f[2] * f[2];
      addOuter(a, e, e);
      addOuter(b, f, e);
    }
    const count = Math.max(1, start[p + 1] - start[p]),
      [l, m] = [Math.sqrt(was / count), Math.sqrt(is / count)];
    for (let c = 0; c < 3; c++) {
      e[c] = normals[p * 3 + c] * l;
      f[c] = after[p * 3 + c] * m;
    }
    addOuter(a, e, e);
    addOuter(b, f, e);
    if (!(l > SHORT) || !timesInverse(out, p * 9, b, a)) for (let c = 0; c < 3; c++) out[p * 9 + c * 4] = 1;
  }
  return out;
}

/** Each map mixed with those of its neighbours, again and again: how a face is turned and how large it is, not how one edge lies. */
function evened(maps: Float64Array<ArrayBuffer>, { points, start, neighbour }: Mesh): Float64Array {
  let from = maps,
    to = new Float64Array(maps.length);
  for (let round = 0; round < ROUNDS; round++) {
    for (let p = 0; p < points; p++) {
      const share = 1 / (1 + start[p + 1] - start[p]);
      for (let k = 0; k < 9; k++) {
        let sum = from[p * 9 + k];
        for (let n = start[p]; n < start[p + 1]; n++) sum += from[neighbour[n] * 9 + k];
        to[p * 9 + k] = sum * share;
      }
    }
    [from, to] = [to, from];
  }
  return from;
}

function addOuter(out: Float64Array, u: Float64Array, v: Float64Array): void {
  for (let i = 0; i < 3; i++) for (let j = 0; j < 3; j++) out[i * 3 + j] += u[i] * v[j];
}

/** b · a⁻¹ into `out`; false where a has no inverse. */
function timesInverse(out: Float64Array, at: number, b: Float64Array, a: Float64Array): boolean {
  const c00 = a[4] * a[8] - a[5] * a[7],
    c01 = a[5] * a[6] - a[3] * a[8],
    c02 = a[3] * a[7] - a[4] * a[6],
    det = a[0] * c00 + a[1] * c01 + a[2] * c02,
    size = a[0] + a[4] + a[8];
  if (!(Math.abs(det) > 1e-9 * size * size * size)) return false;
  const inverse = [
    c00,
    a[2] * a[7] - a[1] * a[8],
    a[1] * a[5] - a[2] * a[4],
    c01,
    a[0] * a[8] - a[2] * a[6],
    a[2] * a[3] - a[0] * a[5],
    c02,
    a[1] * a[6] - a[0] * a[7],
    a[0] * a[4] - a[1] * a[3],
  ];
  for (let i = 0; i < 3; i++)
    for (let j = 0; j < 3; j++)
      out[at + i * 3 + j] =
        (b[i * 3] * inverse[j] + b[i * 3 + 1] * inverse[3 + j] + b[i * 3 + 2] * inverse[6 + j]) / det;
  return true;
}
