/** One surface before and after it was bent: xyz per vertex, three indices a triangle. */
export interface BentSheet {
  before: Float32Array;
  after: Float32Array;
  /** Stored normals; sheets that lie on each other face to face are told apart by them. */
  normals: Float32Array | null;
  indices: Uint32Array;
}

/**
 * How the surface around each vertex turned, as nine numbers a vertex, row by row: the rotation that carries the frame
 * of recomputed normal and one edge before into the same frame after. It holds the gradient of the weights, which the
 * blended matrices of a vertex know nothing of. Vertices at one place and on one side turn together, over all sheets, so
 * that seams stay closed. NaN where the surface has no direction.
 */
export function surfaceTurns(sheets: readonly BentSheet[]): Float32Array[] {
  const offsets: number[] = [];
  let count = 0;
  for (const sheet of sheets) {
    offsets.push(count);
    count += sheet.before.length / 3;
  }
  const corner = gatherCorners(sheets, offsets, count),
    clusters = count;
  const before = new Float64Array(clusters * 3),
    after = new Float64Array(clusters * 3),
    edge = new Float64Array(clusters * 6);
  sheets.forEach((sheet, s) => {
    addFaces(before, sheet.before, sheet.indices, corner, offsets[s]);
    addFaces(after, sheet.after, sheet.indices, corner, offsets[s]);
    addEdges(edge, sheet, corner, offsets[s]);
  });
  const turn = new Float32Array(clusters * 9),
    done = new Uint8Array(clusters),
    a = new Float64Array(9),
    b = new Float64Array(9);
  const turnOf = (c: number): void => {
    done[c] = 1;
    if (!frame(a, before, edge, c, 0) || !frame(b, after, edge, c, 3)) {
      turn.fill(Number.NaN, c * 9, c * 9 + 9);
      return;
    }
    // Rows of a and b are the axes; R = bᵀ a.
    for (let r = 0; r < 3; r++)
      for (let k = 0; k < 3; k++) turn[c * 9 + r * 3 + k] = b[r] * a[k] + b[3 + r] * a[3 + k] + b[6 + r] * a[6 + k];
  };
  return sheets.map((sheet, s) => {
    const out = new Float32Array((sheet.before.length / 3) * 9);
    for (let v = 0; v < out.length / 9; v++) {
      const c = corner[offsets[s] + v];
      if (!done[c]) turnOf(c);
      out.set(turn.subarray(c * 9, c * 9 + 9), v * 9);
    }
    return out;
  });
}

/** Directions turned by a rotation each, as {@link surfaceTurns} gives them; NaN leaves one as it is, and so is left a fourth number, a tangent's side. */
export function turned(turns: Float32Array, values: Float32Array, stride: 3 | 4): Float32Array<ArrayBuffer> {
  const out = Float32Array.from(values);
  for (let i = 0, m = 0; i < values.length; i += stride, m += 9) {
    if (Number.isNaN(turns[m])) continue;
    const x = values[i],
      y = values[i + 1],
      z = values[i + 2];
    for (let r = 0; r < 3; r++) out[i + r] = turns[m + r * 3] * x + turns[m + r * 3 + 1] * y + turns[m + r * 3 + 2] * z;
  }
  return out;
}

/** For each vertex the first vertex that lies at its place, before and after, and looks to the same side. */
function gatherCorners(sheets: readonly BentSheet[], offsets: readonly number[], count: number): Int32Array {
  const corner = new Int32Array(count),
    next = new Int32Array(count).fill(-1),
    size = 1 << Math.ceil(Math.log2(Math.max(16, count * 2))),
    table = new Int32Array(size).fill(-1),
    owner = new Int32Array(count);
  sheets.forEach((sheet, s) => owner.fill(s, offsets[s], offsets[s] + sheet.before.length / 3));
  const bits = sheets.map((sheet) => [
    new Int32Array(sheet.before.buffer, sheet.before.byteOffset, sheet.before.length),
    new Int32Array(sheet.after.buffer, sheet.after.byteOffset, sheet.after.length),
  ]);
  for (let v = 0; v < count; v++) {
    const s = owner[v],
      at = (v - offsets[s]) * 3,
      [p, q] = bits[s];
    let hash = 0;
    for (let k = 0; k < 3; k++) hash = Math.imul(hash ^ p[at + k], 0x9e3779b1) ^ Math.imul(q[at + k], 0x85ebca6b);
    let slot = (hash ^ (hash >>> 15)) & (size - 1);
    corner[v] = v;
    for (;;) {
      const first = table[slot];
      if (first < 0) {
        table[slot] = v;
        break;
      }
      const t = owner[first],
        o = (first - offsets[t]) * 3,
        [fp, fq] = bits[t];
      if (
        p[at] === fp[o] &&
        p[at + 1] === fp[o + 1] &&
        p[at + 2] === fp[o + 2] &&
        q[at] === fq[o] &&
        q[at + 1] === fq[o + 1] &&
        q[at + 2] === fq[o + 2]
      ) {
        // Every place has a list of the sides that were met there.
        let side = first;
        while (!facesAlike(sheets, owner, offsets, side, v)) {
          if (next[side] < 0) {
            next[side] = v;
            side = v;
            break;
          }
          side = next[side];
        }
        corner[v] = side;
        break;
      }
      slot = (slot + 1) & (size - 1);
    }
  }
  return corner;
}

function facesAlike(
  sheets: readonly BentSheet[],
  owner: Int32Array,
  offsets: readonly number[],
  a: number,
  b: number,
): boolean {
  const m = sheets[owner[a]].normals,
    n = sheets[owner[b]].normals;
  if (!m || !n || a === b) return true;
  const i = (a - offsets[owner[a]]) * 3,
    j = (b - offsets[owner[b]]) * 3;
  return m[i] * n[j] + m[i + 1] * n[j + 1] + m[i + 2] * n[j + 2] >= 0;
}

/** Adds the normal of every triangle, as long as twice its area, to its corners. */
function addFaces(out: Float64Array, p: Float32Array, indices: Uint32Array, corner: Int32Array, offset: number): void {
  for (let t = 0; t < indices.length; t += 3) {
    const a = indices[t] * 3,
      b = indices[t + 1] * 3,
      c = indices[t + 2] * 3;
    const ux = p[b] - p[a],
      uy = p[b + 1] - p[a + 1],
      uz = p[b + 2] - p[a + 2],
      vx = p[c] - p[a],
      vy = p[c + 1] - p[a + 1],
      vz = p[c + 2] - p[a + 2];
    const nx = uy * vz - uz * vy,
      ny = uz * vx - ux * vz,
      nz = ux * vy - uy * vx;
    for (let k = 0; k < 3; k++) {
      const at = corner[offset + indices[t + k]] * 3;
      out[at] += nx;
      out[at + 1] += ny;
      out[at + 2] += nz;
    }
  }
}

/** The first edge met at each corner, before and after: it says how the surface turned about its normal. */
function addEdges(out: Float64Array, { before, after, indices }: BentSheet, corner: Int32Array, offset: number): void {
  for (let t = 0; t < indices.length; t += 3)
    for (let k = 0; k < 3; k++) {
      const v = indices[t + k],
        w = indices[t + ((k + 1) % 3)],
        at = corner[offset + v] * 6;
      if (out[at] || out[at + 1] || out[at + 2]) continue;
      for (let axis = 0; axis < 3; axis++) {
        out[at + axis] = before[w * 3 + axis] - before[v * 3 + axis];
        out[at + 3 + axis] = after[w * 3 + axis] - after[v * 3 + axis];
      }
    }
}

/** Unit axes normal, edge and their cross product, as rows. @returns false where the surface is too small to have any */
function frame(out: Float64Array, normals: Float64Array, edges: Float64Array, c: number, from: 0 | 3): boolean {
  const nl = Math.hypot(normals[c * 3], normals[c * 3 + 1], normals[c * 3 + 2]);
  if (!(nl > 1e-14)) return false;
  for (let k = 0; k < 3; k++) out[k] = normals[c * 3 + k] / nl;
  const e = c * 6 + from,
    along = edges[e] * out[0] + edges[e + 1] * out[1] + edges[e + 2] * out[2];
  for (let k = 0; k < 3; k++) out[3 + k] = edges[e + k] - along * out[k];
  const el = Math.hypot(out[3], out[4], out[5]);
  if (!(el > 1e-9)) return false;
  for (let k = 3; k < 6; k++) out[k] /= el;
  out[6] = out[1] * out[5] - out[2] * out[4];
  out[7] = out[2] * out[3] - out[0] * out[5];
  out[8] = out[0] * out[4] - out[1] * out[3];
  return true;
}
