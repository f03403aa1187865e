import type { Primitive } from '@gltf-transform/core';

/** A primitive of its own with the same arrays, its morph targets too: what is set on it leaves the other as it was. */
export function copyPrimitive(prim: Primitive): Primitive {
  const own = prim.clone();
  for (const target of own.listTargets()) {
    own.removeTarget(target);
    own.addTarget(target.clone());
  }
  return own;
}
