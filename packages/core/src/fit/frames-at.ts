import { vertexTangents } from '../geometry/index.ts';
import { STRETCH, type TexelPlaces } from './texel-places.ts';

/** Writes tangent, second direction and normal of a place, three each: of a triangle's place, or of a texel's. */
export type FrameAt = (out: Float64Array, triangle: number, v: number, w: number, texel: number) => void;

/** A stretch of surface with its texture places. */
export interface Framed {
  positions: Float32Array;
  normals: Float32Array;
  uv: Float32Array;
  indices: Uint32Array;
}

interface Ready extends Framed {
  tangents: ReturnType<typeof vertexTangents>;
}
const ready = (one: Framed): Ready => ({
  ...one,
  tangents: vertexTangents(one.positions, one.normals, one.uv, one.indices),
});

/** Frames of several stretches, a triangle of which is known by its number over all of them. */
export function framesOfTriangles(stretches: readonly Framed[]): FrameAt {
  const all = stretches.map(ready),
    first: number[] = [];
  let count = 0;
  for (const { indices } of all) {
    first.push(count);
    count += indices.length / 3;
  }
  let last = 0;
  return (out, triangle, v, w) => {
    if (triangle < first[last] || (last + 1 < first.length && triangle >= first[last + 1]))
      last = first.findLastIndex((from) => triangle >= from);
    frameOn(out, all[last], triangle - first[last], v, w);
  };
}

/** Frames of the texels of a map that stretches are laid out on. */
export function framesOfTexels(stretches: readonly Framed[], { own, size }: TexelPlaces): FrameAt {
  const all = stretches.map(ready);
  return (out, _triangle, _v, _w, texel) => {
    const s = Math.floor(own[texel] / STRETCH),
      t = own[texel] % STRETCH,
      { uv, indices } = all[s],
      a = indices[t * 3] * 2,
      b = indices[t * 3 + 1] * 2,
      c = indices[t * 3 + 2] * 2,
      // The middle of the texel, in the repeat of the map that the triangle lies in.
      x = nearest((texel % size) / size + 0.5 / size, (uv[a] + uv[b] + uv[c]) / 3),
      y = nearest(Math.floor(texel / size) / size + 0.5 / size, (uv[a + 1] + uv[b + 1] + uv[c + 1]) / 3),
      area = (uv[b] - uv[a]) * (uv[c + 1] - uv[a + 1]) - (uv[b + 1] - uv[a + 1]) * (uv[c] - uv[a]),
      v = ((x - uv[a]) * (uv[c + 1] - uv[a + 1]) - (y - uv[a + 1]) * (uv[c] - uv[a])) / area,
      w = ((uv[b] - uv[a]) * (y - uv[a + 1]) - (uv[b + 1] - uv[a + 1]) * (x - uv[a])) / area;
    frameOn(out, all[s], t, v, w);
  };
}

const nearest = (x: number, to: number): number => x + Math.round(to - x);

function frameOn(
  out: Float64Array,
  { normals, indices, tangents: { plain, mirrored, hand } }: Ready,
  t: number,
  v: number,
  w: number,
): void {
  const a = indices[t * 3] * 3,
    b = indices[t * 3 + 1] * 3,
    c = indices[t * 3 + 2] * 3,
    u = 1 - v - w,
    turn = hand[t] || 1,
    tangents = turn > 0 ? plain : mirrored;
  for (let k = 0; k < 3; k++) {
    out[k] = u * tangents[a + k] + v * tangents[b + k] + w * tangents[c + k];
    out[6 + k] = u * normals[a + k] + v * normals[b + k] + w * normals[c + k];
  }
  unitAt(out, 6);
  const along = out[0] * out[6] + out[1] * out[7] + out[2] * out[8];
  for (let k = 0; k < 3; k++) out[k] -= along * out[6 + k];
  unitAt(out, 0);
  out[3] = turn * (out[7] * out[2] - out[8] * out[1]);
  out[4] = turn * (out[8] * out[0] - out[6] * out[2]);
  out[5] = turn * (out[6] * out[1] - out[7] * out[0]);
}

function unitAt(out: Float64Array, at: number): void {
  const l = Math.sqrt(out[at] * out[at] + out[at + 1] * out[at + 1] + out[at + 2] * out[at + 2]) || 1;
  for (let k = at; k < at + 3; k++) out[k] /= l;
}
