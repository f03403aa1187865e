import type { Document, Material } from '@gltf-transform/core';
import { KHRMaterialsIOR, KHRMaterialsSpecular } from '@gltf-transform/extensions';
import { freeName } from '../../character/index.ts';
import type { ImageCodec } from '../../pixels/index.ts';

/** What can lie between lids and eyeball. */
export const EYE_LAYERS = ['tear', 'shade'] as const;
export type EyeLayer = (typeof EYE_LAYERS)[number];
/** What its part and its material are called. */
export const LAYER_NAMES: Record<EyeLayer, string> = { tear: 'Tear_Line', shade: 'Lid_Shade' };

/** Opacity of the shade where the lids begin. */
const DARKEST = 0.6;
const RAMP = 32;

export async function materialOf(document: Document, layer: EyeLayer, images: ImageCodec): Promise<Material | null> {
  const { encode } = images;
  if (layer === 'shade' && !encode) return null;
  const material = document
    .createMaterial(
      freeName(
        LAYER_NAMES[layer],
        new Set(
          document
            .getRoot()
            .listMaterials()
            .map((one) => one.getName()),
        ),
        '_',
      ),
    )
    .setAlphaMode('BLEND')
    .setMetallicFactor(0);
  if (layer === 'tear') {
    // Water (Hale & Querry 1973): index of refraction 1.33.
    const ior = document.createExtension(KHRMaterialsIOR).createIOR().setIOR(1.333);
    return material.setBaseColorFactor([1, 1, 1, 0.12]).setRoughnessFactor(0.03).setExtension('KHR_materials_ior', ior);
  }
  if (!encode) return null;
  // From the edge under the lid inwards: nothing, deepest, and gone.
  const data = new Uint8Array(RAMP * 4 * 4);
  for (let y = 0; y < RAMP; y++) {
    const way = (y + 0.5) / RAMP,
      t = Math.max(0, Math.min(1, (way - 0.3) / 0.7)),
      left = 1 - t * t * (3 - 2 * t);
    for (let x = 0; x < 4; x++) data.set([40, 18, 16, Math.round(255 * DARKEST * left)], (y * 4 + x) * 4);
  }
  const map = document
      .createTexture(`${material.getName()}_color`)
      .setMimeType('image/png')
      .setImage(await encode({ width: 4, height: RAMP, data })),
    specular = document.createExtension(KHRMaterialsSpecular).createSpecular().setSpecularFactor(0);
  material.setBaseColorTexture(map).setRoughnessFactor(1).setExtension('KHR_materials_specular', specular);
  material.getBaseColorTextureInfo()?.setWrapS(33071).setWrapT(33071);
  return material;
}
