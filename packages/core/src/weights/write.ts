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
  for (const joint of joints) if (joint > most) most = joint;
  let next = 0;
  for (let set = 0; set < sets; set++) {
    const j = most < 256 ? new Uint8Array(vertices * 4) : new Uint16Array(vertices * 4);
    const w = new Float32Array(vertices * 4);
    let used = set === 0;
    for (let v = 0; v < vertices; v++) {
      for (let k = 0; k < 4 && set * 4 + k < perVertex; k++) {
        const from = v * perVertex + set * 4 + k;
        w[v * 4 + k] = weights[from];
        j[v * 4 + k] = weights[from] === 0 ? 0 : joints[from];
        if (weights[from] !== 0) used = true;
      }
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
    for (let i = 0; i < weights.length; i++) total[i >> 2] += weights[i];
  }
  let worst = 0;
  for (const sum of total ?? []) if (sum > 0) worst = Math.max(worst, Math.abs(sum - 1));
  return worst;
}
