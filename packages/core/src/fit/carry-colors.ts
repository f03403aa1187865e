import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, trianglesOf } from '../character/index.ts';
import { meshOf } from '../wrap/index.ts';
import { atPlaces, fittedParts } from './carry-morphs.ts';
import { FROM_SHARES, FROM_TRIANGLE, type Replaced } from './replaced.ts';

/** Rounds in which colours reach vertices that lie on nothing: a mouth is no deeper. */
const ROUNDS = 200;

/**
 * Colours of vertices (`COLOR_0` …) of what was replaced, at the places that the new vertices lie on; what lies on nothing
 * (inside the mouth) takes those of its neighbours. Parts without colours count as white, as renderers draw them.
 * @returns how many vertices have colours now
 */
export function carryColors(document: Document, { indices, parts, positions }: Replaced): number {
  const fitted = fittedParts(document),
    sets = new Set(parts.flatMap(({ mesh }) => colorSets(mesh.listPrimitives()[0])));
  let count = 0;
  for (const set of sets) {
    const { values, size, has, bytes } = colorsOf(set, parts, positions.length / 3);
    for (const { prim } of fitted) {
      const from = prim.getAttribute(FROM_TRIANGLE),
        shares = prim.getAttribute(FROM_SHARES);
      if (!from || !shares) continue;
      const triangles = floatsOf(from);
      if (!triangles.some((t) => t >= 0 && has[indices[t * 3]])) continue;
      const out = atPlaces(values, size, indices, triangles, floatsOf(shares));
      fillBeside(out, size, prim, triangles);
      prim.setAttribute(
        set,
        document
          .createAccessor()
          .setType(size === 4 ? 'VEC4' : 'VEC3')
          .setArray(bytes ? Uint8Array.from(out, (x) => Math.round(x * 255)) : out)
          .setNormalized(bytes),
      );
      count += triangles.length;
    }
  }
  return count;
}

const colorSets = (prim: Primitive): string[] =>
  prim.listSemantics().filter((semantic) => /^COLOR_\d+$/.test(semantic));

/** Colours of all vertices, in linear light, white where a part has none; `bytes`: none was finer than a byte. */
function colorsOf(set: string, parts: Replaced['parts'], vertices: number) {
  const own = parts.map((part) => part.mesh.listPrimitives()[0].getAttribute(set)),
    size = own.some((accessor) => accessor?.getElementSize() === 4) ? 4 : 3,
    values = new Float32Array(vertices * size).fill(1),
    has = new Uint8Array(vertices);
  own.forEach((accessor, i) => {
    if (!accessor) return;
    const colors = floatsOf(accessor),
      width = accessor.getElementSize(),
      { firstVertex, vertices: count } = parts[i];
    has.fill(1, firstVertex, firstVertex + count);
    for (let v = 0; v < Math.min(count, accessor.getCount()); v++)
      for (let k = 0; k < Math.min(width, size); k++)
        values[(firstVertex + v) * size + k] = Math.min(1, Math.max(0, colors[v * width + k] || 0));
  });
  return {
    values,
    size,
    has,
    bytes: own.every((accessor) => !accessor || accessor.getArray() instanceof Uint8Array),
  };
}

/** Ring by ring, the mean of the neighbours that have a colour; white where there are none. */
function fillBeside(out: Float32Array, size: number, prim: Primitive, triangles: Float32Array): void {
  const position = prim.getAttribute('POSITION');
  if (!position || triangles.every((t) => t >= 0)) return;
  const { points, pointOf, vertexOf, start, neighbour } = meshOf(floatsOf(position), trianglesOf(prim)),
    known = new Uint8Array(points),
    colors = new Float32Array(points * size);
  for (let p = 0; p < points; p++) {
    const v = vertexOf[p];
    if (triangles[v] < 0) continue;
    known[p] = 1;
    colors.set(out.subarray(v * size, v * size + size), p * size);
  }
  let open = [...known.keys()].filter((p) => !known[p]);
  for (let round = 0; round < ROUNDS && open.length; round++) {
    const reached: number[] = [];
    for (const p of open) {
      let sum = 0;
      for (let n = start[p]; n < start[p + 1]; n++) {
        const q = neighbour[n];
        if (!known[q]) continue;
        sum++;
        for (let k = 0; k < size; k++) colors[p * size + k] += colors[q * size + k];
      }
      if (!sum) continue;
      for (let k = 0; k < size; k++) colors[p * size + k] /= sum;
      reached.push(p);
    }
    if (!reached.length) break;
    for (const p of reached) known[p] = 1;
    open = open.filter((p) => !known[p]);
  }
  for (const p of open) colors.fill(1, p * size, p * size + size);
  for (let v = 0; v < triangles.length; v++)
    if (triangles[v] < 0) out.set(colors.subarray(pointOf[v] * size, (pointOf[v] + 1) * size), v * size);
}
