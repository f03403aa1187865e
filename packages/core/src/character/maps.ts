import type { Document, Material, Texture, TextureInfo } from '@gltf-transform/core';
import type { Clearcoat, Specular, PBRSpecularGlossiness, Transmission, Sheen } from '@gltf-transform/extensions';

/** One use of a texture by a material. */
export interface MapUse {
  channel: MapChannel;
  texture: Texture;
  info: TextureInfo | null;
}

export const MAP_CHANNELS = [
  'baseColor',
  'normal',
  'metallicRoughness',
  'occlusion',
  'emissive',
  'diffuse',
  'specularGlossiness',
  'specular',
  'specularColor',
  'clearcoat',
  'clearcoatRoughness',
  'clearcoatNormal',
  'transmission',
  'sheenColor',
  'sheenRoughness',
] as const;
export type MapChannel = (typeof MAP_CHANNELS)[number];

/** Which channels a material has, with their textures. */
export function mapsOf(material: Material): MapUse[] {
  const uses: MapUse[] = [];
  const put = (channel: MapChannel, texture: Texture | null, info: TextureInfo | null) => {
    if (texture) uses.push({ channel, texture, info });
  };
  put('baseColor', material.getBaseColorTexture(), material.getBaseColorTextureInfo());
  put('normal', material.getNormalTexture(), material.getNormalTextureInfo());
  put('metallicRoughness', material.getMetallicRoughnessTexture(), material.getMetallicRoughnessTextureInfo());
  put('occlusion', material.getOcclusionTexture(), material.getOcclusionTextureInfo());
  put('emissive', material.getEmissiveTexture(), material.getEmissiveTextureInfo());
  const gloss = material.getExtension<PBRSpecularGlossiness>('KHR_materials_pbrSpecularGlossiness');
  if (gloss) {
    put('diffuse', gloss.getDiffuseTexture(), gloss.getDiffuseTextureInfo());
    put('specularGlossiness', gloss.getSpecularGlossinessTexture(), gloss.getSpecularGlossinessTextureInfo());
  }
  const specular = material.getExtension<Specular>('KHR_materials_specular');
  if (specular) {
    put('specular', specular.getSpecularTexture(), specular.getSpecularTextureInfo());
    put('specularColor', specular.getSpecularColorTexture(), specular.getSpecularColorTextureInfo());
  }
  const coat = material.getExtension<Clearcoat>('KHR_materials_clearcoat');
  if (coat) {
    put('clearcoat', coat.getClearcoatTexture(), coat.getClearcoatTextureInfo());
    put('clearcoatRoughness', coat.getClearcoatRoughnessTexture(), coat.getClearcoatRoughnessTextureInfo());
    put('clearcoatNormal', coat.getClearcoatNormalTexture(), coat.getClearcoatNormalTextureInfo());
  }
  const transmission = material.getExtension<Transmission>('KHR_materials_transmission');
  if (transmission)
    put('transmission', transmission.getTransmissionTexture(), transmission.getTransmissionTextureInfo());
  const sheen = material.getExtension<Sheen>('KHR_materials_sheen');
  if (sheen) {
    put('sheenColor', sheen.getSheenColorTexture(), sheen.getSheenColorTextureInfo());
    put('sheenRoughness', sheen.getSheenRoughnessTexture(), sheen.getSheenRoughnessTextureInfo());
  }
  return uses;
}

/** What an image is called: its file, or its name where it has none. */
export const textureFile = (texture: Texture): string => texture.getURI() || texture.getName();

/** Whether anything in the document refers to a texture; what is not worn is not delivered. */
export const isWorn = (texture: Texture): boolean =>
  texture.listParents().some((parent) => parent.propertyType !== 'Root');

/** Channels a texture is used for, over all materials. */
export function channelsOfTexture(document: Document, texture: Texture): Set<MapChannel> {
  const channels = new Set<MapChannel>();
  for (const material of document.getRoot().listMaterials())
    for (const use of mapsOf(material)) if (use.texture === texture) channels.add(use.channel);
  return channels;
}
