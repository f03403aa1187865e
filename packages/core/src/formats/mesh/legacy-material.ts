import type { Document, Material, Texture } from '@gltf-transform/core';
import { keepOwn } from '../../character/index.ts';
import { roughnessOfShininess } from './shininess.ts';

/** A material as the older formats say it: diffuse, specular, shininess. Colours are linear 0 … 1. */
export interface LegacyMaterial {
  name: string;
  diffuse: readonly [number, number, number];
  emissive: readonly [number, number, number];
  /** Blinn–Phong exponent; undefined where not given. */
  shininess?: number;
  opacity: number;
  roughness?: number;
  metallic?: number;
  ior?: number;
  doubleSided?: boolean;
  maps: Partial<Record<LegacyChannel, Texture>>;
  /** Texture coordinate set of each map; 0 where not given. */
  sets?: Partial<Record<LegacyChannel, number>>;
}
export const LEGACY_CHANNELS = [
  'diffuse',
  'specular',
  'shininess',
  'bump',
  'normal',
  'opacity',
  'emissive',
  'roughness',
  'metallic',
  'occlusion',
  'height',
] as const;
export type LegacyChannel = (typeof LEGACY_CHANNELS)[number];

/**
 * The glTF material that comes nearest: shininess as roughness ({@link roughnessOfShininess}), colours and opacity as they are. Maps that glTF has no place for (specular, gloss, bump, opacity on
 * their own) stay with the material in its extras, by texture name, for the materials station.
 */
export function toMaterial(document: Document, legacy: LegacyMaterial): Material {
  const { maps, diffuse } = legacy,
    // One map for both is packed as glTF packs them.
    packed = maps.roughness !== undefined && maps.roughness === maps.metallic;
  // Files with a colour map often leave the colour black, which would drown the map.
  const black = maps.diffuse !== undefined && Math.max(...diffuse) < 0.004;
  const [r, g, b] = black ? [1, 1, 1] : diffuse;
  const material = document
    .createMaterial(legacy.name)
    .setBaseColorFactor([r, g, b, legacy.opacity])
    .setEmissiveFactor([...legacy.emissive])
    .setMetallicFactor(legacy.metallic ?? (packed ? 1 : 0))
    .setRoughnessFactor(
      legacy.roughness ?? (legacy.shininess === undefined ? 0.8 : roughnessOfShininess(legacy.shininess)),
    )
    .setBaseColorTexture(maps.diffuse ?? null)
    .setNormalTexture(maps.normal ?? null)
    .setMetallicRoughnessTexture(packed ? (maps.roughness ?? null) : null)
    .setEmissiveTexture(maps.emissive ?? null)
    .setOcclusionTexture(maps.occlusion ?? null)
    .setDoubleSided(legacy.doubleSided ?? false);
  if (maps.emissive && Math.max(...legacy.emissive) < 0.004) material.setEmissiveFactor([1, 1, 1]);
  const set = (channel: LegacyChannel) => legacy.sets?.[channel] ?? 0;
  material.getBaseColorTextureInfo()?.setTexCoord(set('diffuse'));
  material.getNormalTextureInfo()?.setTexCoord(set('normal'));
  material.getMetallicRoughnessTextureInfo()?.setTexCoord(set('roughness'));
  material.getEmissiveTextureInfo()?.setTexCoord(set('emissive'));
  material.getOcclusionTextureInfo()?.setTexCoord(set('occlusion'));
  if (legacy.opacity < 0.999 || maps.opacity) material.setAlphaMode('BLEND');
  const kept = Object.fromEntries(
    (['specular', 'shininess', 'bump', 'height', 'opacity', 'roughness', 'metallic'] as const).flatMap((channel) =>
      maps[channel] && !(packed && (channel === 'roughness' || channel === 'metallic'))
        ? [[channel, maps[channel].getName()]]
        : [],
    ),
  );
  if (Object.keys(kept).length) keepOwn(material, 'maps', kept);
  return material;
}
