import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, influencesOf, inverseBindsOf, listParts, type Influences, type Skeleton, skeletonOf } from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';

/** How the mesh follows its joints into a new rest pose. */
export type BakeMethod = 'exact' | 'forward';

/**
 * Lets every skinned part follow its joints: S_j moves joint j from the old rest to the new. *Forward*:
 * v' = (Σ w_j S_j R_j) v, R_j = G_j B_j. *Exact return*: v' = (Σ w_j S_j⁻¹)⁻¹ (Σ w_j R_j) v, so that posing the result
 * back gives the old rest exactly under linear blending. Morph deltas and tangents go through the linear part of the
 * same matrix, normals through its inverse transpose; a vertex without weights stays.
 * @param motion S_j, 16 per joint of `skeleton`
 * @returns largest stretch of any vertex's matrix, as a ratio of volumes (1 is none)
 */
export function bakeMotion(document: Document, motion: Float64Array, method: BakeMethod, skeleton: Skeleton = skeletonOf(document)): { stretch: number } {
  const done = new Map<Primitive, unknown>();
  let stretch = 1;
  const back = new Float64Array(motion.length);
  for (let o = 0; o < motion.length; o += 16) invertAffine(back, o, motion, o);
  for (const part of listParts(document)) {
    const skin = part.node.getSkin(), influences = skin && influencesOf(part.prim), position = part.prim.getAttribute('POSITION');
    if (!skin || !influences || !position || done.has(part.prim)) continue;
    done.set(part.prim, skin);
    const binds = inverseBindsOf(skin), at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
    const rest = new Float64Array(binds.length), turn = new Float64Array(binds.length);
    at.forEach((joint, j) => {
      multiply(rest, j * 16, skeleton.global, joint * 16, binds, j * 16);
      if (method === 'forward') multiply(turn, j * 16, motion, joint * 16, rest, j * 16); else turn.set(back.subarray(joint * 16, joint * 16 + 16), j * 16);
    });
    const matrices = vertexMatrices(influences, turn, method === 'exact' ? rest : null);
    stretch = Math.max(stretch, matrices.stretch);
    applyTo(document, part.prim, matrices.rows);
  }
  return { stretch };
}

/**
 * One affine matrix per vertex, 12 numbers, row by row: Σ w A, or (Σ w A)⁻¹ (Σ w R) where `rest` is given.
 * Weights are divided by their sum.
 */
function vertexMatrices(influences: Influences, matrices: Float64Array, rest: Float64Array | null): { rows: Float32Array; stretch: number } {
  const { perVertex, joints, weights } = influences, count = joints.length / perVertex;
  const rows = new Float32Array(count * 12);
  const sum = new Float64Array(12), other = new Float64Array(12), plain = rest ? isIdentity(rest) : true;
  let stretch = 1;
  for (let v = 0; v < count; v++) {
    let total = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) total += weights[k];
    const row = v * 12;
    if (!(total > 0)) { rows[row] = rows[row + 5] = rows[row + 10] = 1; continue; }
    gather(sum, matrices, influences, v, 1 / total);
    const a = sum[0], b = sum[1], c = sum[2], d = sum[4], e = sum[5], f = sum[6], g = sum[8], h = sum[9], i = sum[10];
    const det = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g);
    if (det > 0) stretch = Math.max(stretch, det, 1 / det);
    // Turned half round and blended, a matrix folds flat: there is no way back from it, so the vertex stays.
    if (rest && !(det > 0.02)) { rows[row] = rows[row + 5] = rows[row + 10] = 1; continue; }
    if (!rest) { for (let k = 0; k < 12; k++) rows[row + k] = sum[k]; continue; }
    const s = 1 / det;
    const m = [(e * i - f * h) * s, (c * h - b * i) * s, (b * f - c * e) * s, (f * g - d * i) * s, (a * i - c * g) * s, (c * d - a * f) * s, (d * h - e * g) * s, (b * g - a * h) * s, (a * e - b * d) * s];
    if (plain) other.set(EYE); else gather(other, rest, influences, v, 1 / total);
    for (let r = 0; r < 3; r++) {
      for (let k = 0; k < 4; k++) rows[row + r * 4 + k] = m[r * 3] * other[k] + m[r * 3 + 1] * other[4 + k] + m[r * 3 + 2] * other[8 + k];
      rows[row + r * 4 + 3] -= m[r * 3] * sum[3] + m[r * 3 + 1] * sum[7] + m[r * 3 + 2] * sum[11];
    }
  }
  return { rows, stretch };
}
const EYE = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0];

function gather(out: Float64Array, matrices: Float64Array, { perVertex, joints, weights }: Influences, vertex: number, scale: number): void {
  out.fill(0);
  for (let k = vertex * perVertex; k < (vertex + 1) * perVertex; k++) {
    const w = weights[k] * scale;
    if (w === 0) continue;
    const m = joints[k] * 16;
    for (let r = 0; r < 3; r++) { out[r * 4] += w * matrices[m + r]; out[r * 4 + 1] += w * matrices[m + 4 + r]; out[r * 4 + 2] += w * matrices[m + 8 + r]; out[r * 4 + 3] += w * matrices[m + 12 + r]; }
  }
}

function isIdentity(matrices: Float64Array): boolean {
  for (let i = 0; i < matrices.length; i++) if (Math.abs(matrices[i] - ((i & 15) % 5 === 0 ? 1 : 0)) > 1e-9) return false;
  return true;
}

function applyTo(document: Document, prim: Primitive, rows: Float32Array): void {
  const put = (array: Float32Array, type: 'VEC3' | 'VEC4' = 'VEC3') => document.createAccessor().setType(type).setArray(array as Float32Array<ArrayBuffer>);
  const position = prim.getAttribute('POSITION'), normal = prim.getAttribute('NORMAL'), tangent = prim.getAttribute('TANGENT');
  const cofactors = normal ? cofactorRows(rows) : null, normals = normal && floatsOf(normal);
  if (position) prim.setAttribute('POSITION', put(through(rows, floatsOf(position), 3, true)));
  if (normals && cofactors) prim.setAttribute('NORMAL', put(unitRows(through(cofactors, normals, 3, false), 3)));
  if (tangent) prim.setAttribute('TANGENT', put(unitRows(through(rows, floatsOf(tangent), 4, false), 4), 'VEC4'));
  const turned = prim.getAttribute('NORMAL');
  for (const target of prim.listTargets()) {
    const delta = target.getAttribute('POSITION'), bend = target.getAttribute('NORMAL'), along = target.getAttribute('TANGENT');
    if (delta) target.setAttribute('POSITION', put(through(rows, floatsOf(delta), 3, false)).setSparse(delta.getSparse()));
    if (along) target.setAttribute('TANGENT', put(through(rows, floatsOf(along), 3, false)).setSparse(along.getSparse()));
    if (!bend || !normals || !cofactors || !turned) continue;
    // A difference of unit vectors: the bent normal goes through the same matrix and is made unit length again.
    const d = floatsOf(bend), base = floatsOf(turned), bent = unitRows(through(cofactors, d.map((x, i) => x + normals[i]) as Float32Array, 3, false), 3);
    for (let i = 0; i < d.length; i += 3) { const still = d[i] === 0 && d[i + 1] === 0 && d[i + 2] === 0; for (let k = i; k < i + 3; k++) bent[k] = still ? 0 : bent[k] - base[k]; }
    target.setAttribute('NORMAL', put(bent).setSparse(bend.getSparse()));
  }
}

function through(rows: Float32Array, values: Float32Array, stride: 3 | 4, moves: boolean): Float32Array {
  const out = new Float32Array(values.length);
  for (let i = 0, m = 0; i < values.length; i += stride, m += 12) {
    const x = values[i], y = values[i + 1], z = values[i + 2];
    if (stride === 4) out[i + 3] = values[i + 3];
    if (!moves && x === 0 && y === 0 && z === 0) continue;
    const w = moves ? 1 : 0;
    out[i] = rows[m] * x + rows[m + 1] * y + rows[m + 2] * z + w * rows[m + 3];
    out[i + 1] = rows[m + 4] * x + rows[m + 5] * y + rows[m + 6] * z + w * rows[m + 7];
    out[i + 2] = rows[m + 8] * x + rows[m + 9] * y + rows[m + 10] * z + w * rows[m + 11];
  }
  return out;
}

/** The inverse transpose but for scale: cofactors of each linear part. */
function cofactorRows(rows: Float32Array): Float32Array {
  const out = new Float32Array(rows.length);
  for (let o = 0; o < rows.length; o += 12) {
    const a = rows[o], b = rows[o + 1], c = rows[o + 2], d = rows[o + 4], e = rows[o + 5], f = rows[o + 6], g = rows[o + 8], h = rows[o + 9], i = rows[o + 10];
    out[o] = e * i - f * h; out[o + 1] = f * g - d * i; out[o + 2] = d * h - e * g;
    out[o + 4] = c * h - b * i; out[o + 5] = a * i - c * g; out[o + 6] = b * g - a * h;
    out[o + 8] = b * f - c * e; out[o + 9] = c * d - a * f; out[o + 10] = a * e - b * d;
  }
  return out;
}

function unitRows(values: Float32Array, stride: 3 | 4): Float32Array {
  for (let i = 0; i < values.length; i += stride) { const l = Math.hypot(values[i], values[i + 1], values[i + 2]) || 1; values[i] /= l; values[i + 1] /= l; values[i + 2] /= l; }
  return values;
}
