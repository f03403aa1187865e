import type { Document, Primitive } from '@gltf-transform/core';

/** Puts a mesh of one surface into a document's scene, with a material of its own. */
export function addPart(
  document: Document,
  name: string,
  material: string,
  { positions, indices }: { positions: readonly number[]; indices: readonly number[] },
): Primitive {
  const prim = document
    .createPrimitive()
    .setMaterial(document.createMaterial(material))
    .setAttribute('POSITION', vec3(document, positions))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint32Array.from(indices)));
  const scene = document.getRoot().listScenes()[0] ?? document.createScene();
  scene.addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(prim)));
  return prim;
}

export const vec3 = (document: Document, values: readonly number[]) =>
  document.createAccessor().setType('VEC3').setArray(Float32Array.from(values));
