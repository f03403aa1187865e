import type { Document, Primitive } from '@gltf-transform/core';
import { createDeformer, floatsOf, influencesOf, listMorphNames, listParts } from '../character/index.ts';
import type { CompressionChange } from '../check/index.ts';

/** Texture places are told in texels of a map of this size. */
const TEXELS = 4096;

/**
 * What storing a figure's arrays with losses changed, vertex by vertex: order is kept, so nothing is guessed.
 * @param read what our reader made of the delivered bytes
 * @returns null where parts or vertices don't match, which the rule on contents tells
 */
export function changedByCompression(document: Document, read: Document): CompressionChange | null {
  const before = createDeformer(document),
    after = createDeformer(read);
  if (before.vertices !== after.vertices) return null;
  const change: CompressionChange = { restMm: 0, morphMm: 0, normalDegrees: 0, texels: 0, weight: 0 },
    size = before.vertices * 3,
    rest = [before, after].map((deformer) => deformer.evaluate(new Float32Array(size))),
    moved = [new Float32Array(size), new Float32Array(size)];
  change.restMm = farthest(rest[0], rest[1]) * 1000;
  for (const name of listMorphNames(document)) {
    before.evaluate(moved[0], { [name]: 1 });
    after.evaluate(moved[1], { [name]: 1 });
    // Beside what rest changed already.
    change.morphMm = Math.max(change.morphMm, farthestMove(moved[0], rest[0], moved[1], rest[1]) * 1000);
  }
  const others = listParts(read);
  listParts(document).forEach(({ prim }, i) => {
    const other = others[i]?.prim;
    if (!other) return;
    for (const semantic of prim.listSemantics()) {
      const a = numbersOf(prim, semantic),
        b = numbersOf(other, semantic);
      if (a.length !== b.length) continue;
      if (semantic === 'NORMAL' || semantic === 'TANGENT')
        change.normalDegrees = Math.max(change.normalDegrees, widestTurn(a, b, semantic === 'NORMAL' ? 3 : 4));
      else if (semantic.startsWith('TEXCOORD_'))
        change.texels = Math.max(change.texels, largestDifference(a, b) * TEXELS);
    }
    change.weight = Math.max(change.weight, weightsApart(prim, other));
  });
  return change;
}

const numbersOf = (prim: Primitive, semantic: string): Float32Array => {
  const accessor = prim.getAttribute(semantic);
  return accessor ? floatsOf(accessor) : new Float32Array(0);
};

function farthest(a: Float32Array, b: Float32Array): number {
  let most = 0;
  for (let i = 0; i < a.length; i += 3) {
    const x = a[i] - b[i],
      y = a[i + 1] - b[i + 1],
      z = a[i + 2] - b[i + 2];
    most = Math.max(most, x * x + y * y + z * z);
  }
  return Math.sqrt(most);
}

function farthestMove(a: Float32Array, a0: Float32Array, b: Float32Array, b0: Float32Array): number {
  let most = 0;
  for (let i = 0; i < a.length; i += 3) {
    const x = a[i] - a0[i] - b[i] + b0[i],
      y = a[i + 1] - a0[i + 1] - b[i + 1] + b0[i + 1],
      z = a[i + 2] - a0[i + 2] - b[i + 2] + b0[i + 2];
    most = Math.max(most, x * x + y * y + z * z);
  }
  return Math.sqrt(most);
}

/** By the chord, which is exact where the arc cosine is not; 180 where a hand (w) changed its sign. */
function widestTurn(a: Float32Array, b: Float32Array, width: 3 | 4): number {
  let most = 0;
  for (let i = 0; i < a.length; i += width) {
    const la = Math.sqrt(a[i] ** 2 + a[i + 1] ** 2 + a[i + 2] ** 2) || 1,
      lb = Math.sqrt(b[i] ** 2 + b[i + 1] ** 2 + b[i + 2] ** 2) || 1;
    let chord = 0;
    for (let k = i; k < i + 3; k++) chord += (a[k] / la - b[k] / lb) ** 2;
    most = Math.max(most, width === 4 && a[i + 3] * b[i + 3] <= 0 ? 4 : chord);
  }
  return (2 * Math.asin(Math.min(1, Math.sqrt(most) / 2)) * 180) / Math.PI;
}

function largestDifference(a: Float32Array, b: Float32Array): number {
  let most = 0;
  for (let i = 0; i < a.length; i++) most = Math.max(most, Math.abs(a[i] - b[i]));
  return most;
}

/** Largest difference of what one joint weighs at one vertex; slots may have changed their order. */
function weightsApart(a: Primitive, b: Primitive): number {
  const one = influencesOf(a),
    other = influencesOf(b);
  if (!one || !other) return one === other ? 0 : 1;
  let most = 0;
  const vertices = one.joints.length / one.perVertex,
    sums = new Float64Array(65_536);
  for (let v = 0; v < vertices; v++) {
    for (let k = v * one.perVertex; k < (v + 1) * one.perVertex; k++) sums[one.joints[k]] += one.weights[k];
    for (let k = v * other.perVertex; k < (v + 1) * other.perVertex; k++) sums[other.joints[k]] -= other.weights[k];
    for (const { joints, perVertex } of [one, other])
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
        most = Math.max(most, Math.abs(sums[joints[k]]));
        sums[joints[k]] = 0;
      }
  }
  return most;
}
