import type { Document, Primitive } from '@gltf-transform/core';
import {
  floatsOf,
  influencesOf,
  inverseBindsOf,
  listParts,
  type Influences,
  type Skeleton,
  skeletonOf,
  trianglesOf,
} from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';
import { type BentSheet, surfaceTurns, turned } from './surface-turns.ts';

/** How the mesh follows its joints into a new rest pose. */
export type BakeMethod = 'exact' | 'forward';

/**
 * Lets every skinned part follow its joints: S_j moves joint j from the old rest to the new. *Forward*:
 * v' = (Σ w_j S_j R_j) v, R_j = G_j B_j. *Exact return*: v' = (Σ w_j S_j⁻¹)⁻¹ (Σ w_j R_j) v, so that posing the result
 * back gives the old rest exactly under linear blending. Morph deltas go through the linear part of the same matrix;
 * normals and tangents turn as the surface around them turned ({@link surfaceTurns}), since the blended matrices know
 * nothing of how weights change along it; a vertex without weights stays.
 * @param motion S_j, 16 per joint of `skeleton`
 * @returns largest stretch of any vertex's matrix, as a ratio of volumes (1 is none)
 */
export function bakeMotion(
  document: Document,
  motion: Float64Array,
  method: BakeMethod,
  skeleton: Skeleton = skeletonOf(document),
): { stretch: number } {
  const done = new Set<Primitive>(),
    bent: (BentSheet & { prim: Primitive; rows: Float32Array })[] = [];
  let stretch = 1;
  const back = new Float64Array(motion.length);
  for (let o = 0; o < motion.length; o += 16) invertAffine(back, o, motion, o);
  for (const part of listParts(document)) {
    const skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim),
      position = part.prim.getAttribute('POSITION');
    if (!skin || !influences || !position || done.has(part.prim)) continue;
    done.add(part.prim);
    const binds = inverseBindsOf(skin),
      at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
    const rest = new Float64Array(binds.length),
      turn = new Float64Array(binds.length);
    at.forEach((joint, j) => {
      multiply(rest, j * 16, skeleton.global, joint * 16, binds, j * 16);
      if (method === 'forward') multiply(turn, j * 16, motion, joint * 16, rest, j * 16);
      else turn.set(back.subarray(joint * 16, joint * 16 + 16), j * 16);
    });
    const matrices = vertexMatrices(influences, turn, method === 'exact' ? rest : null);
    stretch = Math.max(stretch, matrices.stretch);
    const before = floatsOf(position),
      normal = part.prim.getAttribute('NORMAL');
    bent.push({
      prim: part.prim,
      rows: matrices.rows,
      before,
      after: through(matrices.rows, before, true),
      normals: normal && floatsOf(normal),
      indices: trianglesOf(part.prim),
    });
  }
  const turns = surfaceTurns(bent);
  bent.forEach((sheet, i) => applyTo(document, sheet, turns[i]));
  return { stretch };
}

/**
 * One affine matrix per vertex, 12 numbers, row by row: Σ w A, or (Σ w A)⁻¹ (Σ w R) where `rest` is given.
 * Weights are divided by their sum.
 */
function vertexMatrices(
  influences: Influences,
  matrices: Float64Array,
  rest: Float64Array | null,
): { rows: Float32Array; stretch: number } {
  const { perVertex, joints, weights } = influences,
    count = joints.length / perVertex;
  const rows = new Float32Array(count * 12);
  const sum = new Float64Array(12),
    other = new Float64Array(12),
    plain = rest ? isIdentity(rest) : true;
  let stretch = 1;
  for (let v = 0; v < count; v++) {
    let total = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) total += weights[k];
    const row = v * 12;
    if (!(total > 0)) {
      rows[row] = rows[row + 5] = rows[row + 10] = 1;
      continue;
    }
    gather(sum, matrices, influences, v, 1 / total);
    const a = sum[0],
      b = sum[1],
      c = sum[2],
      d = sum[4],
      e = sum[5],
      f = sum[6],
      g = sum[8],
      h = sum[9],
      i = sum[10];
    const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
    if (det > 0) stretch = Math.max(stretch, det, 1 / det);
    // Turned half round and blended, a matrix folds flat: there is no way back from it, so the vertex stays.
    if (rest && !(det > 0.02)) {
      rows[row] = rows[row + 5] = rows[row + 10] = 1;
      continue;
    }
    if (!rest) {
      for (let k = 0; k < 12; k++) rows[row + k] = sum[k];
      continue;
    }
    const s = 1 / det;
    const m = [
      (e * i - f * h) * s,
      (c * h - b * i) * s,
      (b * f - c * e) * s,
      (f * g - d * i) * s,
      (a * i - c * g) * s,
      (c * d - a * f) * s,
      (d * h - e * g) * s,
      (b * g - a * h) * s,
      (a * e - b * d) * s,
    ];
    if (plain) other.set(EYE);
    else gather(other, rest, influences, v, 1 / total);
    for (let r = 0; r < 3; r++) {
      for (let k = 0; k < 4; k++)
        rows[row + r * 4 + k] = m[r * 3] * other[k] + m[r * 3 + 1] * other[4 + k] + m[r * 3 + 2] * other[8 + k];
      rows[row + r * 4 + 3] -= m[r * 3] * sum[3] + m[r * 3 + 1] * sum[7] + m[r * 3 + 2] * sum[11];
    }
  }
  return { rows, stretch };
}
const EYE = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

function gather(
  out: Float64Array,
  matrices: Float64Array,
  { perVertex, joints, weights }: Influences,
  vertex: number,
  scale: number,
): void {
  out.fill(0);
  for (let k = vertex * perVertex; k < (vertex + 1) * perVertex; k++) {
    const w = weights[k] * scale;
    if (w === 0) continue;
    const m = joints[k] * 16;
    for (let r = 0; r < 3; r++) {
      out[r * 4] += w * matrices[m + r];
      out[r * 4 + 1] += w * matrices[m + 4 + r];
      out[r * 4 + 2] += w * matrices[m + 8 + r];
      out[r * 4 + 3] += w * matrices[m + 12 + r];
    }
  }
}

function isIdentity(matrices: Float64Array): boolean {
  for (let i = 0; i < matrices.length; i++)
    if (Math.abs(matrices[i] - ((i & 15) % 5 === 0 ? 1 : 0)) > 1e-9) return false;
  return true;
}

function applyTo(
  document: Document,
  { prim, rows, after, normals }: BentSheet & { prim: Primitive; rows: Float32Array },
  turns: Float32Array,
): void {
  const put = (array: Float32Array, type: 'VEC3' | 'VEC4' = 'VEC3') =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const tangent = prim.getAttribute('TANGENT');
  prim.setAttribute('POSITION', put(after));
  // Where the surface has no direction of its own (a lone point, a sliver) the blended matrix has to do.
  for (let v = 0; v < turns.length / 9; v++) if (Number.isNaN(turns[v * 9])) turnOfRows(turns, v * 9, rows, v * 12);
  if (normals) prim.setAttribute('NORMAL', put(unitRows(turned(turns, normals, 3), 3)));
  if (tangent) prim.setAttribute('TANGENT', put(unitRows(turned(turns, floatsOf(tangent), 4), 4), 'VEC4'));
  for (const target of prim.listTargets()) {
    const delta = target.getAttribute('POSITION'),
      bend = target.getAttribute('NORMAL'),
      along = target.getAttribute('TANGENT');
    if (delta) target.setAttribute('POSITION', put(through(rows, floatsOf(delta), false)).setSparse(delta.getSparse()));
    // Differences of unit vectors turn as the vectors do.
    if (bend) target.setAttribute('NORMAL', put(turned(turns, floatsOf(bend), 3)).setSparse(bend.getSparse()));
    if (along) target.setAttribute('TANGENT', put(turned(turns, floatsOf(along), 3)).setSparse(along.getSparse()));
  }
}

function through(rows: Float32Array, values: Float32Array, moves: boolean): Float32Array {
  const out = new Float32Array(values.length),
    w = moves ? 1 : 0;
  for (let i = 0, m = 0; i < values.length; i += 3, m += 12) {
    const x = values[i],
      y = values[i + 1],
      z = values[i + 2];
    if (!moves && x === 0 && y === 0 && z === 0) continue;
    for (let r = 0; r < 3; r++)
      out[i + r] = rows[m + r * 4] * x + rows[m + r * 4 + 1] * y + rows[m + r * 4 + 2] * z + w * rows[m + r * 4 + 3];
  }
  return out;
}

/** The rotation in an affine matrix's linear part: its columns made square to each other and unit length. */
function turnOfRows(out: Float32Array, at: number, rows: Float32Array, from: number): void {
  let [x, y, z] = [rows[from], rows[from + 4], rows[from + 8]],
    l = Math.hypot(x, y, z) || 1;
  x /= l;
  y /= l;
  z /= l;
  let [u, v, w] = [rows[from + 1], rows[from + 5], rows[from + 9]];
  const d = x * u + y * v + z * w;
  u -= d * x;
  v -= d * y;
  w -= d * z;
  l = Math.hypot(u, v, w) || 1;
  u /= l;
  v /= l;
  w /= l;
  out.set([x, u, y * w - z * v, y, v, z * u - x * w, z, w, x * v - y * u], at);
}

function unitRows(values: Float32Array, stride: 3 | 4): Float32Array {
  for (let i = 0; i < values.length; i += stride) {
    const l = Math.hypot(values[i], values[i + 1], values[i + 2]) || 1;
    values[i] /= l;
    values[i + 1] /= l;
    values[i + 2] /= l;
  }
  return values;
}
