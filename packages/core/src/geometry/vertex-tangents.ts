import { degreesOf } from './exact.ts';

/** Directions in which the first texture coordinate grows, for triangles laid out as they are and for mirrored ones. */
export interface VertexTangents {
  /** xyz per vertex, unit and square to its normal; zero where no triangle of that sort lies around it. */
  plain: Float32Array;
  mirrored: Float32Array;
  /** Per triangle: 1 laid out as it is, −1 mirrored, 0 without area in the map. */
  hand: Int8Array;
}

/**
 * Tangents of vertices as MikkTSpace makes them (Mikkelsen 2008), whom glTF names where a mesh brings none: of each corner
 * the tangent of its triangle, laid into the plane of the normal and weighted by the corner's angle there; vertices that
 * are alike in place, normal and texture place share theirs. With rows of the map running down, the second direction of
 * the frame, along which green points, is hand × (normal × tangent).
 * @param positions xyz @param normals xyz, unit @param uv two per vertex @param indices three per triangle
 */
export function vertexTangents(
  positions: Float32Array,
  normals: Float32Array,
  uv: Float32Array,
  indices: Uint32Array,
): VertexTangents {
  const hand = new Int8Array(indices.length / 3),
    plain = new Float32Array(positions.length),
    mirrored = new Float32Array(positions.length),
    one = alikeVertices(positions, normals, uv);
  const t = [0, 0, 0];
  for (let f = 0; f < indices.length; f += 3) {
    const turn = tangentOf(t, positions, uv, indices[f], indices[f + 1], indices[f + 2]);
    hand[f / 3] = turn;
    if (!turn) continue;
    const sums = turn > 0 ? plain : mirrored;
    for (let k = 0; k < 3; k++)
      addCorner(
        sums,
        one[indices[f + k]] * 3,
        t,
        positions,
        normals,
        indices[f + k],
        indices[f + ((k + 1) % 3)],
        indices[f + ((k + 2) % 3)],
      );
  }
  for (const sums of [plain, mirrored]) {
    makeUnit(sums);
    for (let v = 0; v < one.length; v++)
      if (one[v] !== v) for (let k = 0; k < 3; k++) sums[v * 3 + k] = sums[one[v] * 3 + k];
  }
  return { plain, mirrored, hand };
}

/** A triangle's direction of growing u. @returns its hand in a map whose rows run down, 0 without area there */
function tangentOf(out: number[], p: Float32Array, uv: Float32Array, a: number, b: number, c: number): -1 | 0 | 1 {
  const du1 = uv[b * 2] - uv[a * 2],
    dv1 = uv[a * 2 + 1] - uv[b * 2 + 1],
    du2 = uv[c * 2] - uv[a * 2],
    dv2 = uv[a * 2 + 1] - uv[c * 2 + 1],
    area = du1 * dv2 - du2 * dv1;
  if (!area) return 0;
  const turn = area < 0 ? -1 : 1;
  for (let k = 0; k < 3; k++)
    out[k] = turn * ((p[b * 3 + k] - p[a * 3 + k]) * dv2 - (p[c * 3 + k] - p[a * 3 + k]) * dv1);
  return turn;
}

/** Adds a triangle's tangent to a corner's. */
function addCorner(
  sums: Float32Array,
  o: number,
  t: readonly number[],
  p: Float32Array,
  n: Float32Array,
  at: number,
  next: number,
  before: number,
): void {
  const x = n[at * 3],
    y = n[at * 3 + 1],
    z = n[at * 3 + 2],
    dot = (ax: number, ay: number, az: number) => ax * x + ay * y + az * z;
  const flat = (ax: number, ay: number, az: number): [number, number, number] | null => {
    const d = dot(ax, ay, az),
      l = Math.hypot(ax - d * x, ay - d * y, az - d * z);
    return l > 0 ? [(ax - d * x) / l, (ay - d * y) / l, (az - d * z) / l] : null;
  };
  const along = flat(t[0], t[1], t[2]),
    to = flat(p[next * 3] - p[at * 3], p[next * 3 + 1] - p[at * 3 + 1], p[next * 3 + 2] - p[at * 3 + 2]),
    back = flat(p[before * 3] - p[at * 3], p[before * 3 + 1] - p[at * 3 + 1], p[before * 3 + 2] - p[at * 3 + 2]);
  if (!along || !to || !back) return;
  const cosine = Math.max(-1, Math.min(1, to[0] * back[0] + to[1] * back[1] + to[2] * back[2])),
    angle = degreesOf(Math.sqrt(1 - cosine * cosine), cosine);
  for (let k = 0; k < 3; k++) sums[o + k] += along[k] * angle;
}

function makeUnit(vectors: Float32Array): void {
  for (let i = 0; i < vectors.length; i += 3) {
    const l = Math.hypot(vectors[i], vectors[i + 1], vectors[i + 2]);
    if (l > 0) for (let k = i; k < i + 3; k++) vectors[k] /= l;
  }
}

/** The first vertex that is the same as each, to the last bit. */
function alikeVertices(positions: Float32Array, normals: Float32Array, uv: Float32Array): Uint32Array {
  const count = positions.length / 3,
    one = new Uint32Array(count),
    buckets = new Map<number, number[]>(),
    bits = [positions, normals, uv].map((array) => new Uint32Array(array.buffer, array.byteOffset, array.length)),
    same = (a: number, b: number) =>
      [0, 1, 2].every((k) => bits[0][a * 3 + k] === bits[0][b * 3 + k] && bits[1][a * 3 + k] === bits[1][b * 3 + k]) &&
      bits[2][a * 2] === bits[2][b * 2] &&
      bits[2][a * 2 + 1] === bits[2][b * 2 + 1];
  for (let v = 0; v < count; v++) {
    let key = 0;
    for (let k = 0; k < 3; k++)
      key = Math.imul(Math.imul(key ^ bits[0][v * 3 + k], 0x9e3779b1) ^ bits[1][v * 3 + k], 0xc2b2ae35) >>> 0;
    key = Math.imul(key ^ bits[2][v * 2] ^ (bits[2][v * 2 + 1] >>> 1), 0x85ebca6b) >>> 0;
    const bucket = buckets.get(key),
      found = bucket?.find((other) => same(other, v));
    one[v] = found ?? v;
    if (bucket) {
      if (found === undefined) bucket.push(v);
    } else buckets.set(key, [v]);
  }
  return one;
}
