import type { Document, Mesh } from '@gltf-transform/core';

/** Names of a mesh's morph targets, in order; glTF keeps them in the mesh's extras. */
export function morphNamesOf(mesh: Mesh): string[] {
  const count = mesh.listPrimitives().reduce((most, prim) => Math.max(most, prim.listTargets().length), 0);
  const named = mesh.getExtras().targetNames;
  const names = Array.isArray(named) ? named : [];
  // Asked once: a list is made anew each time, and some meshes have thousands.
  const first = mesh
    .listPrimitives()
    .map((prim) => prim.listTargets())
    .find((targets) => targets.length === count);
  return Array.from({ length: count }, (_, i) => {
    const own = first?.[i]?.getName();
    return typeof names[i] === 'string' && names[i] ? (names[i] as string) : own || `morph ${i + 1}`;
  });
}

/** Every morph name of the character, in order of first appearance; a name on several meshes is one morph. */
export function listMorphNames(document: Document): string[] {
  const names = new Set<string>();
  for (const mesh of document.getRoot().listMeshes()) for (const name of morphNamesOf(mesh)) names.add(name);
  return [...names];
}
