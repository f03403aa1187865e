import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, listParts, morphNamesOf, type Part } from '../character/index.ts';
import { FROM_SHARES, FROM_TRIANGLE, type Replaced } from './replaced.ts';

/** Movements smaller than this are none, metres. */
const NOTHING = 1e-7;

/** Parts whose vertices know their places on what they took the place of. */
export const fittedParts = (document: Document): Part[] =>
  listParts(document).filter(({ prim }) => prim.getAttribute(FROM_TRIANGLE));

export interface MorphCarried {
  name: string;
  /** Vertices that it moves, and how far the farthest goes, metres. */
  vertices: number;
  farthest: number;
}

/** Every morph of what was replaced moves the new vertices as it moved the places they lie on. */
export function carryReplacedMorphs(
  document: Document,
  replaced: Replaced,
  each: (fraction: number, name: string) => void = () => {},
): MorphCarried[] {
  const prims = fittedParts(document).map(({ prim, mesh }) => ({ prim, names: morphNamesOf(mesh), ...placesOf(prim) })),
    had = new Set(replaced.parts.flatMap(({ morphs }) => morphs)),
    // What the figure has besides moves it already.
    names = [...new Set(prims.flatMap((one) => one.names))].filter((name) => had.has(name)),
    movement = new Float32Array(replaced.positions.length),
    out: MorphCarried[] = [];
  names.forEach((name, i) => {
    each(i / names.length, name);
    movement.fill(0);
    for (const part of replaced.parts) {
      const own = part.morph(name);
      if (own) movement.set(own, part.firstVertex * 3);
    }
    let vertices = 0,
      farthest = 0;
    for (const { prim, names: own, triangles, shares } of prims) {
      const target = prim.listTargets()[own.indexOf(name)];
      if (!target) continue;
      const delta = atPlaces(movement, 3, replaced.indices, triangles, shares);
      for (let v = 0; v < delta.length; v += 3) {
        const far = Math.hypot(delta[v], delta[v + 1], delta[v + 2]);
        if (far > NOTHING) vertices++;
        farthest = Math.max(farthest, far);
      }
      target.setAttribute(
        'POSITION',
        document.createAccessor().setType('VEC3').setArray(delta).setSparse(isFew(delta)),
      );
    }
    out.push({ name, vertices, farthest });
  });
  return out;
}

function placesOf(prim: Primitive): { triangles: Float32Array; shares: Float32Array } {
  const triangles = prim.getAttribute(FROM_TRIANGLE),
    shares = prim.getAttribute(FROM_SHARES);
  return {
    triangles: triangles ? floatsOf(triangles) : new Float32Array(0),
    shares: shares ? floatsOf(shares) : new Float32Array(0),
  };
}

/**
 * Values of what was replaced at the places that vertices lie on; 0 for those that lie on nothing.
 * @param values `size` numbers per old vertex @param triangles one per new vertex, −1 for none @param shares of corners 2 and 3
 */
export function atPlaces(
  values: Float32Array,
  size: number,
  indices: Uint32Array,
  triangles: Float32Array,
  shares: Float32Array,
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(triangles.length * size);
  for (let v = 0; v < triangles.length; v++) {
    if (triangles[v] < 0) continue;
    const t = triangles[v] * 3,
      a = indices[t] * size,
      b = indices[t + 1] * size,
      c = indices[t + 2] * size,
      sb = shares[v * 2],
      sc = shares[v * 2 + 1],
      sa = 1 - sb - sc;
    for (let k = 0; k < size; k++) out[v * size + k] = sa * values[a + k] + sb * values[b + k] + sc * values[c + k];
  }
  return out;
}

/** Whether so few vertices move that a sparse array is the smaller one. */
function isFew(delta: Float32Array): boolean {
  let moving = 0;
  for (let v = 0; v < delta.length; v += 3) if (delta[v] || delta[v + 1] || delta[v + 2]) moving++;
  return moving * 2 < delta.length / 3;
}
