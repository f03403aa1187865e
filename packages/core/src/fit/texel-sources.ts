import { floatsOf } from '../character/index.ts';
import { triangleArea } from '../geometry/index.ts';
import type { Replaced } from './replaced.ts';
import { type LaidOut, STRETCH, type TexelPlaces } from './texel-places.ts';

/** Where on the old surface's texture places each texel takes its value from, by the part that lies there. */
export interface TexelSources {
  /** Number of the part, {@link NO_PART} for none. */
  part: Uint8Array;
  /** Which parts are seen at all, by number. */
  used: Uint8Array;
  /** Texture place, u and v of each texel. */
  place: Float32Array;
  /** Sides of a texel in widths of the old map. */
  foot: Float32Array;
}
export const NO_PART = 255;
const NEARLY_ALL = 0.8;

/** @param set number of the texture coordinates that are read */
export function texelSources(
  { triangle, share, own, size }: TexelPlaces,
  stretches: readonly LaidOut[],
  { positions, indices, parts }: Replaced,
  set: number,
): TexelSources {
  const uv = new Float32Array((positions.length / 3) * 2),
    has = parts.map((part) => {
      const accessor = part.mesh.listPrimitives()[0].getAttribute(`TEXCOORD_${set}`);
      if (accessor) uv.set(floatsOf(accessor).subarray(0, part.vertices * 2), part.firstVertex * 2);
      return Boolean(accessor);
    }),
    partOf = new Uint8Array(indices.length / 3),
    old = densities(positions, uv, indices),
    fresh = stretches.map((one) => densities(one.positions, one.uv, one.indices)),
    out: TexelSources = {
      part: new Uint8Array(triangle.length).fill(NO_PART),
      used: new Uint8Array(256),
      place: new Float32Array(triangle.length * 2),
      foot: new Float32Array(triangle.length),
    };
  parts.forEach((part, i) =>
    partOf.fill(Math.min(i, NO_PART - 1), part.firstTriangle, part.firstTriangle + part.triangles),
  );
  for (let texel = 0; texel < triangle.length; texel++) {
    const t = triangle[texel];
    if (t < 0) continue;
    const part = partOf[t],
      a = indices[t * 3] * 2,
      b = indices[t * 3 + 1] * 2,
      c = indices[t * 3 + 2] * 2,
      v = share[texel * 2],
      w = share[texel * 2 + 1],
      stretch = Math.floor(own[texel] / STRETCH),
      density = fresh[stretch][own[texel] - stretch * STRETCH];
    out.part[texel] = part;
    out.used[part] = 1;
    if (!has[part]) continue;
    out.place[texel * 2] = uv[a] + v * (uv[b] - uv[a]) + w * (uv[c] - uv[a]);
    out.place[texel * 2 + 1] = uv[a + 1] + v * (uv[b + 1] - uv[a + 1]) + w * (uv[c + 1] - uv[a + 1]);
    out.foot[texel] = density > 0 ? Math.sqrt(old[t] / density) / size : 0;
  }
  return out;
}

/** Of each triangle how much of a map lies in a square metre of it. */
function densities(positions: Float32Array, uv: Float32Array, indices: Uint32Array): Float32Array {
  const out = new Float32Array(indices.length / 3);
  for (let t = 0; t < out.length; t++) {
    const a = indices[t * 3],
      b = indices[t * 3 + 1],
      c = indices[t * 3 + 2],
      inMap =
        Math.abs(
          (uv[b * 2] - uv[a * 2]) * (uv[c * 2 + 1] - uv[a * 2 + 1]) -
            (uv[b * 2 + 1] - uv[a * 2 + 1]) * (uv[c * 2] - uv[a * 2]),
        ) / 2,
      area = triangleArea(positions, a, b, c);
    out[t] = area > 0 ? inMap / area : 0;
  }
  return out;
}

/**
 * How many times finer, a side, the old layout draws what the new one shows: so much over four fifths of the surface at most.
 * A map that is so many times as large loses nothing there.
 */
export function finerBefore(stretches: readonly LaidOut[], { positions, indices, parts }: Replaced): number {
  const uv = new Float32Array((positions.length / 3) * 2);
  for (const part of parts) {
    const accessor = part.mesh.listPrimitives()[0].getAttribute('TEXCOORD_0');
    if (accessor) uv.set(floatsOf(accessor).subarray(0, part.vertices * 2), part.firstVertex * 2);
  }
  const old = densities(positions, uv, indices),
    found: [ratio: number, area: number][] = [];
  for (const one of stretches) {
    const fresh = densities(one.positions, one.uv, one.indices);
    for (let t = 0; t < fresh.length; t++) {
      const [a, b, c] = one.indices.subarray(t * 3, t * 3 + 3),
        from = Math.max(one.from[a], one.from[b], one.from[c]);
      if (from < 0 || !(fresh[t] > 0) || !(old[from] > 0)) continue;
      found.push([Math.sqrt(old[from] / fresh[t]), triangleArea(one.positions, a, b, c)]);
    }
  }
  found.sort((a, b) => a[0] - b[0]);
  const most = NEARLY_ALL * found.reduce((sum, [, area]) => sum + area, 0);
  let sum = 0;
  for (const [ratio, area] of found) {
    sum += area;
    if (sum >= most) return ratio;
  }
  return 1;
}

/** Texels beside islands, ring by ring, each with the one on an island that it takes its value from. */
export interface Beside {
  texel: Uint32Array;
  from: Uint32Array;
}

/** @param rings as many texels wide is what lies beside an island */
export function besideIslands({ triangle, size }: Pick<TexelPlaces, 'triangle' | 'size'>, rings: number): Beside {
  const nearest = new Int32Array(triangle.length).fill(-1),
    /** Texels in the order in which they are reached, from those at the rim of islands on. */
    queue = new Uint32Array(triangle.length);
  let end = 0;
  for (let i = 0; i < triangle.length; i++) {
    if (triangle[i] < 0) continue;
    nearest[i] = i;
    const x = i % size;
    if (
      (x > 0 && triangle[i - 1] < 0) ||
      (x + 1 < size && triangle[i + 1] < 0) ||
      (i >= size && triangle[i - size] < 0) ||
      (i + size < triangle.length && triangle[i + size] < 0)
    )
      queue[end++] = i;
  }
  const first = end;
  let begin = 0;
  for (let step = 0; step < rings && begin < end; step++) {
    const rim = end;
    for (; begin < rim; begin++) {
      const i = queue[begin],
        x = i % size,
        own = nearest[i];
      if (x > 0 && nearest[i - 1] < 0) nearest[(queue[end++] = i - 1)] = own;
      if (x + 1 < size && nearest[i + 1] < 0) nearest[(queue[end++] = i + 1)] = own;
      if (i >= size && nearest[i - size] < 0) nearest[(queue[end++] = i - size)] = own;
      if (i + size < triangle.length && nearest[i + size] < 0) nearest[(queue[end++] = i + size)] = own;
    }
  }
  const texel = queue.slice(first, end);
  return { texel, from: texel.map((i) => nearest[i]) };
}
