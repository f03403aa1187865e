import type { Document, Primitive } from '@gltf-transform/core';
import { floatsOf, type Influences } from '../character/index.ts';

/** Stores influences as JOINTS_n / WEIGHTS_n sets of four; sets that hold nothing are left out, at least one stays. */
export function writeInfluences(document: Document, prim: Primitive, influences: Influences): void {
  const { perVertex, joints, weights } = influences;
  const vertices = joints.length / perVertex;
  const sets = Math.ceil(perVertex / 4);
  for (let set = 0; ; set++) {
    if (!prim.getAttribute(`JOINTS_${set}`)) break;
    prim.setAttribute(`JOINTS_${set}`, null);
    prim.setAttribute(`WEIGHTS_${set}`, null);
  }
  let most = 0;
  for (let k = 0; k < joints.length; k++) if (joints[k] > most) most = joints[k];
  let next = 0;
  for (let set = 0; set < sets; set++) {
    const j = most < 256 ? new Uint8Array(vertices * 4) : new Uint16Array(vertices * 4);
    const w = new Float32Array(vertices * 4);
    let used = set === 0;
    const slots = Math.min(4, perVertex - set * 4);
    for (let first = set * 4, to = 0; to < w.length; first += perVertex, to += 4) for (let k = 0; k < slots; k++) {
      const weight = weights[first + k];
      if (weight === 0) continue;
      w[to + k] = weight;
      j[to + k] = joints[first + k];
      used = true;
    }
    if (!used) continue;
    prim.setAttribute(`JOINTS_${next}`, document.createAccessor().setType('VEC4').setArray(j));
    prim.setAttribute(`WEIGHTS_${next}`, document.createAccessor().setType('VEC4').setArray(w));
    next++;
  }
}

/** Largest distance of any vertex's weight sum from one; vertices without weights don't count. */
export function weightSumError(prim: Primitive): number {
  let total: Float64Array | null = null;
  for (let set = 0; ; set++) {
    const accessor = prim.getAttribute(`WEIGHTS_${set}`);
    if (!accessor) break;
    const weights = floatsOf(accessor);
    total ??= new Float64Array(weights.length / 4);
    for (let v = 0, i = 0; i + 3 < weights.length; v++, i += 4) total[v] = total[v] + weights[i] + weights[i + 1] + weights[i + 2] + weights[i + 3];
  }
  let worst = 0;
  for (let v = 0; total && v < total.length; v++) if (total[v] > 0 && Math.abs(total[v] - 1) > worst) worst = Math.abs(total[v] - 1);
  return worst;
}
