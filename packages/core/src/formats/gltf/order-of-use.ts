import type { GLTF } from '@gltf-transform/core';

type Indices = Record<string, number>;

/**
 * Puts the accessors of a document into the order in which its meshes, skins, clips and instances use them. In memory
 * they lie in the order they came to be, which differs between a document that was just made and the same one taken
 * from a store: without this, equal documents would be written as different bytes. Changes `json`.
 * @returns how many are used; those after them are not
 */
export function putInOrderOfUse(json: GLTF.IGLTF): number {
  const accessors = json.accessors ?? [],
    to = new Map<number, number>();
  const place = (index: number): number => {
    const known = to.get(index);
    if (known !== undefined) return known;
    to.set(index, to.size);
    return to.size - 1;
  };
  const all = (indices: Indices) => {
    for (const name of Object.keys(indices).sort()) indices[name] = place(indices[name]);
  };
  for (const { primitives } of json.meshes ?? [])
    for (const primitive of primitives) {
      if (primitive.indices !== undefined) primitive.indices = place(primitive.indices);
      all(primitive.attributes);
      primitive.targets?.forEach(all);
    }
  for (const skin of json.skins ?? [])
    if (skin.inverseBindMatrices !== undefined) skin.inverseBindMatrices = place(skin.inverseBindMatrices);
  for (const { samplers } of json.animations ?? [])
    for (const sampler of samplers) {
      sampler.input = place(sampler.input);
      sampler.output = place(sampler.output);
    }
  for (const { extensions } of json.nodes ?? []) {
    const instances = extensions?.EXT_mesh_gpu_instancing as { attributes?: Indices } | undefined;
    if (instances?.attributes) all(instances.attributes);
  }
  const used = to.size,
    ordered = new Array<GLTF.IAccessor>(accessors.length);
  // What nothing uses follows as it lay.
  accessors.forEach((_, i) => {
    place(i);
  });
  for (const [from, at] of to) ordered[at] = accessors[from];
  if (json.accessors) json.accessors = ordered;
  return used;
}
