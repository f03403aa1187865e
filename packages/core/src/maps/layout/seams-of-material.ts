import type { Document, Material } from '@gltf-transform/core';
import { placingOf } from '../../appearance/index.ts';
import { floatsOf, trianglesOf } from '../../character/index.ts';
import { seamPlaces } from './seams.ts';

/** Seams of all surfaces that wear a material, on its colour map. */
export function seamsOfMaterial(document: Document, material: Material): number[] {
  const info = material.getBaseColorTextureInfo(),
    { set, affine } = info ? placingOf(info) : { set: 0, affine: null },
    out: number[] = [];
  for (const mesh of document.getRoot().listMeshes())
    for (const prim of mesh.listPrimitives()) {
      const position = prim.getAttribute('POSITION'),
        uv = prim.getAttribute(`TEXCOORD_${set}`);
      if (prim.getMaterial() !== material || !position || !uv) continue;
      const places = Float32Array.from(floatsOf(uv));
      if (affine)
        for (let v = 0; v < places.length; v += 2) {
          const [s, t] = [places[v], places[v + 1]];
          places[v] = affine[0] * s + affine[1] * t + affine[2];
          places[v + 1] = affine[3] * s + affine[4] * t + affine[5];
        }
      out.push(...seamPlaces(floatsOf(position), places, trianglesOf(prim)));
    }
  return out;
}
