import type { Document } from '@gltf-transform/core';

/** Morphs that move few vertices are stored sparsely (glTF 2.0 §3.6.2.3): a third or less pays for the indices. */
export function markSparseMorphs(document: Document): void {
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives())
      for (const target of prim.listTargets())
        for (const semantic of target.listSemantics()) {
          const accessor = target.getAttribute(semantic);
          const values = accessor?.getArray();
          if (!accessor || !values) continue;
          const used = movedBy(values);
          // A sparse accessor with no entries is not valid, so morphs that move nothing here stay dense.
          accessor.setSparse(used > 0 && used < values.length / 9);
        }
}

// Alone, so that its compiled code outlives the document.
function movedBy(values: ArrayLike<number>): number {
  let used = 0;
  for (let i = 0; i < values.length; i += 3) if (values[i] !== 0 || values[i + 1] !== 0 || values[i + 2] !== 0) used++;
  return used;
}
