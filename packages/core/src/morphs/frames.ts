import { globalMatrix, influencesOf, inverseBindsOf, type Part, type Skeleton } from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';

/**
 * Directions of a part's mesh as they stand in the character at rest: nine numbers a vertex, row by row, the linear part
 * of what joints (or the node) do to it. Null where that is nothing, as for most.
 */
export function restFrames(part: Part, skeleton: Skeleton): Float64Array | null {
  const skin = part.node.getSkin(),
    influences = skin && influencesOf(part.prim),
    count = part.vertices;
  if (!skin || !influences) {
    const m = globalMatrix(part.node),
      rows = [m[0], m[4], m[8], m[1], m[5], m[9], m[2], m[6], m[10]];
    if (isEye(rows)) return null;
    const out = new Float64Array(count * 9);
    for (let v = 0; v < count; v++) out.set(rows, v * 9);
    return out;
  }
  const joints = skin.listJoints(),
    binds = inverseBindsOf(skin),
    matrices = new Float64Array(joints.length * 16);
  joints.forEach((joint, i) =>
    multiply(matrices, i * 16, skeleton.global, (skeleton.index.get(joint) ?? 0) * 16, binds, i * 16),
  );
  const plain = joints.every((_, i) => isEye([0, 4, 8, 1, 5, 9, 2, 6, 10].map((k) => matrices[i * 16 + k])));
  return plain ? null : blended(matrices, influences, count);
}

const isEye = (rows: ArrayLike<number>): boolean => {
  for (let k = 0; k < 9; k++) if (Math.abs(rows[k] - (k % 4 === 0 ? 1 : 0)) > 1e-6) return false;
  return true;
};

function blended(
  matrices: Float64Array,
  { perVertex, joints, weights }: NonNullable<ReturnType<typeof influencesOf>>,
  count: number,
): Float64Array {
  const out = new Float64Array(count * 9);
  for (let v = 0; v < count; v++) {
    let total = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
      const w = weights[k],
        m = joints[k] * 16;
      if (!w) continue;
      total += w;
      for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) out[v * 9 + r * 3 + c] += w * matrices[m + c * 4 + r];
    }
    if (total > 0) for (let k = v * 9; k < v * 9 + 9; k++) out[k] /= total;
    else out[v * 9] = out[v * 9 + 4] = out[v * 9 + 8] = 1;
  }
  return out;
}

/** A direction into the character. @param o where its nine numbers begin */
export function intoCharacter(
  out: Float64Array,
  frames: Float64Array | null,
  v: number,
  x: number,
  y: number,
  z: number,
): void {
  if (!frames) {
    out[0] = x;
    out[1] = y;
    out[2] = z;
    return;
  }
  for (let r = 0, o = v * 9; r < 3; r++, o += 3) out[r] = frames[o] * x + frames[o + 1] * y + frames[o + 2] * z;
}

/** A direction back into the mesh, in place: the inverse of {@link intoCharacter}. */
export function intoMesh(d: Float64Array, frames: Float64Array | null, v: number): void {
  if (!frames) return;
  const [a, b, c, e, f, g, h, i, j] = frames.subarray(v * 9, v * 9 + 9),
    det = a * (f * j - g * i) - b * (e * j - g * h) + c * (e * i - f * h),
    s = det ? 1 / det : 0,
    [x, y, z] = d;
  d[0] = s * ((f * j - g * i) * x + (c * i - b * j) * y + (b * g - c * f) * z);
  d[1] = s * ((g * h - e * j) * x + (a * j - c * h) * y + (c * e - a * g) * z);
  d[2] = s * ((e * i - f * h) * x + (b * h - a * i) * y + (a * f - b * e) * z);
}

/** What turns normals where a frame turns directions: nine numbers a vertex. */
export function inverseTransposed(frames: Float64Array): Float64Array {
  const out = new Float64Array(frames.length),
    m = new Float64Array(16),
    inverse = new Float64Array(16);
  for (let o = 0; o < frames.length; o += 9) {
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) m[c * 4 + r] = frames[o + r * 3 + c];
    m[15] = 1;
    invertAffine(inverse, 0, m, 0);
    for (let r = 0; r < 3; r++) for (let c = 0; c < 3; c++) out[o + r * 3 + c] = inverse[r * 4 + c];
  }
  return out;
}

/** Normals in the character as the mesh has them, unit, in place. */
export function intoMeshNormals(normals: Float32Array, frames: Float64Array | null): Float32Array {
  const upright = frames && inverseTransposed(frames),
    d = new Float64Array(3);
  if (upright)
    for (let v = 0; v < normals.length / 3; v++) {
      d.set(normals.subarray(v * 3, v * 3 + 3));
      intoMesh(d, upright, v);
      const l = Math.hypot(d[0], d[1], d[2]) || 1;
      for (let k = 0; k < 3; k++) normals[v * 3 + k] = d[k] / l;
    }
  return normals;
}
