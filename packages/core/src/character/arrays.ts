import type { Accessor, Primitive } from '@gltf-transform/core';

/**
 * Plain numbers of an accessor: normalised and sparse storage decoded. Float32 data is the accessor's own
 * array and must not be changed by the caller.
 */
export function floatsOf(accessor: Accessor): Float32Array {
  const array = accessor.getArray();
  const size = accessor.getElementSize();
  const count = accessor.getCount();
  if (!array) return new Float32Array(count * size);
  if (array instanceof Float32Array && !accessor.getNormalized()) return array;
  if (!accessor.getNormalized()) return Float32Array.from(array);
  return decoded(array);
}

/** Whole numbers as what they stand for (glTF 2.0 §3.11); the least of a signed kind stands for −1 like the one above it. */
function decoded(array: NonNullable<ReturnType<Accessor['getArray']>>): Float32Array {
  const signed = array instanceof Int8Array || array instanceof Int16Array,
    most = array instanceof Float32Array ? 1 : 2 ** (array.BYTES_PER_ELEMENT * 8 - (signed ? 1 : 0)) - 1,
    least = signed ? -1 : -Infinity;
  const out = new Float32Array(array.length);
  for (let i = 0; i < out.length; i++) out[i] = Math.max(least, array[i] / most);
  return out;
}

/** Triangle list of a primitive as indices, whatever its mode; points and lines give none. */
export function trianglesOf(prim: Primitive): Uint32Array {
  const accessor = prim.getIndices();
  const vertices = prim.getAttribute('POSITION')?.getCount() ?? 0;
  const raw = accessor?.getArray();
  const at = (i: number): number => (raw ? raw[i] : i);
  const count = raw ? raw.length : vertices;
  const mode = prim.getMode();
  if (mode === 4) {
    if (raw instanceof Uint32Array) return count % 3 === 0 ? raw : raw.slice(0, count - (count % 3));
    const out = new Uint32Array(count - (count % 3));
    if (raw) out.set(count % 3 === 0 ? raw : raw.subarray(0, out.length));
    else for (let i = 0; i < out.length; i++) out[i] = i;
    return out;
  }
  if ((mode !== 5 && mode !== 6) || count < 3) return new Uint32Array(0);
  const out = new Uint32Array((count - 2) * 3);
  for (let i = 0; i < count - 2; i++) {
    const odd = mode === 5 && i % 2 === 1;
    out[i * 3] = mode === 6 ? at(0) : at(odd ? i + 1 : i);
    out[i * 3 + 1] = at(odd ? i : i + 1);
    out[i * 3 + 2] = at(i + 2);
  }
  return out;
}

/** How many triangles {@link trianglesOf} gives, without making them. */
export function triangleCount(prim: Primitive): number {
  const count = prim.getIndices()?.getCount() ?? prim.getAttribute('POSITION')?.getCount() ?? 0;
  const mode = prim.getMode();
  return mode === 4 ? Math.floor(count / 3) : mode === 5 || mode === 6 ? Math.max(0, count - 2) : 0;
}

/** Joint influences of a primitive: `perVertex` slots for each vertex, all JOINTS_n sets side by side. */
export interface Influences {
  perVertex: number;
  joints: Uint16Array;
  /** Same layout; as stored, not normalised again. */
  weights: Float32Array;
}

export function influencesOf(prim: Primitive): Influences | null {
  const sets: { joints: Accessor; weights: Float32Array }[] = [];
  for (let n = 0; ; n++) {
    const joints = prim.getAttribute(`JOINTS_${n}`);
    const weights = prim.getAttribute(`WEIGHTS_${n}`);
    if (!joints || !weights) break;
    sets.push({ joints, weights: floatsOf(weights) });
  }
  if (!sets.length) return null;
  const count = sets[0].joints.getCount();
  const perVertex = sets.length * 4;
  const out: Influences = {
    perVertex,
    joints: new Uint16Array(count * perVertex),
    weights: new Float32Array(count * perVertex),
  };
  sets.forEach((set, n) => {
    const joints = set.joints.getArray();
    if (!joints) return;
    const most = Math.min(count * 4, joints.length, set.weights.length);
    if (perVertex === 4) {
      out.joints.set(joints.length > most ? joints.subarray(0, most) : joints);
      out.weights.set(set.weights.subarray(0, most));
      return;
    }
    // Of one type, so that the loop meets one kind of array.
    const wide = joints instanceof Uint16Array ? joints : new Uint16Array(joints),
      { weights } = set;
    spreadJoints(wide, out.joints, n * 4, perVertex, most);
    spreadWeights(weights, out.weights, n * 4, perVertex, most);
  });
  return out;
}

/** Lays fours out `stride` apart, from `first` on. One function for each kind of array: a loop that meets both is half as fast. */
function spreadJoints(from: Uint16Array, to: Uint16Array, first: number, stride: number, most: number): void {
  for (let f = 0, t = first; f + 3 < most; f += 4, t += stride) {
    to[t] = from[f];
    to[t + 1] = from[f + 1];
    to[t + 2] = from[f + 2];
    to[t + 3] = from[f + 3];
  }
}
function spreadWeights(from: Float32Array, to: Float32Array, first: number, stride: number, most: number): void {
  for (let f = 0, t = first; f + 3 < most; f += 4, t += stride) {
    to[t] = from[f];
    to[t + 1] = from[f + 1];
    to[t + 2] = from[f + 2];
    to[t + 3] = from[f + 3];
  }
}

/** Largest number of non-zero influences on any vertex. */
export function influencesMax(influences: Influences): number {
  const { perVertex, weights } = influences;
  let most = 0;
  for (let i = 0; i < weights.length; i += perVertex) {
    let used = 0;
    for (let k = 0; k < perVertex; k++) if (weights[i + k] > 0) used++;
    if (used > most) most = used;
  }
  return most;
}
