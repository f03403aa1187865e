import type { ExtensionProperty, Material } from '@gltf-transform/core';

/** A material of its own with the same textures; what is set on it or its extensions leaves the other as it was. */
export function copyMaterial(material: Material): Material {
  const own = material.clone();
  for (const extension of own.listExtensions())
    own.setExtension(extension.extensionName, (extension as ExtensionProperty).clone());
  return own;
}
