import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, type Influences } from './arrays.ts';

/** Stores influences as JOINTS_n / WEIGHTS_n sets of four; sets that hold nothing are left out, at least one stays. */
export function writeInfluences(document: Document, prim: Primitive, influences: Influences): void {
  const { perVertex, joints } = influences;
  const vertices = joints.length / perVertex;
  const sets = Math.ceil(perVertex / 4);
  for (let set = 0; ; set++) {
    if (!prim.getAttribute(`JOINTS_${set}`)) break;
    prim.setAttribute(`JOINTS_${set}`, null);
    prim.setAttribute(`WEIGHTS_${set}`, null);
  }
  const most = largest(joints);
  let next = 0;
  for (let set = 0; set < sets; set++) {
    const j = most < 256 ? new Uint8Array(vertices * 4) : new Uint16Array(vertices * 4);
    const w = new Float32Array(vertices * 4);
    if (!takeSet(j, w, influences, set) && set > 0) continue;
    prim.setAttribute(`JOINTS_${next}`, document.createAccessor().setType('VEC4').setArray(j));
    prim.setAttribute(`WEIGHTS_${next}`, document.createAccessor().setType('VEC4').setArray(w));
    next++;
  }
}

// Loops over whole arrays stand alone, so that their compiled code outlives the document.
function largest(values: Uint16Array): number {
  let most = 0;
  for (let k = 0; k < values.length; k++) if (values[k] > most) most = values[k];
  return most;
}
/** Takes the four slots of a set out of all; says whether they hold anything. */
function takeSet(
  j: Uint8Array | Uint16Array,
  w: Float32Array,
  { perVertex, joints, weights }: Influences,
  set: number,
): boolean {
  const slots = Math.min(4, perVertex - set * 4);
  let used = false;
  for (let first = set * 4, to = 0; to < w.length; first += perVertex, to += 4)
    for (let k = 0; k < slots; k++) {
      const weight = weights[first + k];
      if (weight === 0) continue;
      w[to + k] = weight;
      j[to + k] = joints[first + k];
      used = true;
    }
  return used;
}
function addFours(total: Float64Array, values: Float32Array): void {
  for (let v = 0, i = 0; i + 3 < values.length; v++, i += 4)
    total[v] = total[v] + values[i] + values[i + 1] + values[i + 2] + values[i + 3];
}
function furthestFromOne(sums: Float64Array): number {
  let worst = 0;
  for (let v = 0; v < sums.length; v++) if (sums[v] > 0 && Math.abs(sums[v] - 1) > worst) worst = Math.abs(sums[v] - 1);
  return worst;
}

/** Largest distance of any vertex's weight sum from one; vertices without weights don't count. */
export function weightSumError(prim: Primitive): number {
  let total: Float64Array | null = null;
  for (let set = 0; ; set++) {
    const accessor = prim.getAttribute(`WEIGHTS_${set}`);
    if (!accessor) break;
    const weights = floatsOf(accessor);
    total ??= new Float64Array(weights.length / 4);
    addFours(total, weights);
  }
  return total ? furthestFromOne(total) : 0;
}
