import type { Accessor, Document } from '@gltf-transform/core';

/** A slot without weight names joint 0, as glTF 2.0 §3.7.3.3 wants: it asks for no joint. Arrays are replaced, never written. */
export function tidySlots(document: Document): void {
  const done = new Map<Accessor, Map<Accessor, Accessor>>();
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives())
      for (let set = 0; prim.getAttribute(`JOINTS_${set}`); set++) {
        const joints = prim.getAttribute(`JOINTS_${set}`),
          weights = prim.getAttribute(`WEIGHTS_${set}`);
        if (!joints || !weights) continue;
        const byWeights = done.get(joints) ?? new Map<Accessor, Accessor>();
        done.set(joints, byWeights);
        // Parts may name the same joints by one array, with other weights each.
        const tidy = byWeights.get(weights) ?? tidied(joints, weights);
        byWeights.set(weights, tidy);
        if (tidy !== joints) prim.setAttribute(`JOINTS_${set}`, tidy);
      }
}

function tidied(joints: Accessor, weights: Accessor): Accessor {
  const named = joints.getArray(),
    weighed = weights.getArray();
  if (!named || !weighed || !namesIdle(named, weighed)) return joints;
  const tidy = named.slice();
  for (let i = 0; i < tidy.length; i++) if (weighed[i] === 0) tidy[i] = 0;
  return joints.clone().setArray(tidy);
}

// Alone, so that its compiled code outlives the document.
function namesIdle(joints: ArrayLike<number>, weights: ArrayLike<number>): boolean {
  for (let i = 0; i < joints.length; i++) if (weights[i] === 0 && joints[i] !== 0) return true;
  return false;
}
