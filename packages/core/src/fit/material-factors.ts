import type { Material } from '@gltf-transform/core';
import type { MapChannel } from '../character/index.ts';

/** What a channel's map is multiplied by: of colours in linear light; of normals how much their slopes are. */
export function factorOf(material: Material, channel: MapChannel): number[] {
  switch (channel) {
    case 'baseColor':
      return [...material.getBaseColorFactor()];
    case 'emissive':
      return [...material.getEmissiveFactor(), 1];
    case 'metallicRoughness':
      return [1, material.getRoughnessFactor(), material.getMetallicFactor(), 1];
    case 'normal':
      return [material.getNormalScale(), 1, 1, 1];
    default:
      return [1, 1, 1, 1];
  }
}

/** Gives a material the factor with which a map made of several is multiplied. */
export function setFactor(material: Material, channel: MapChannel, [r, g, b, a]: readonly number[]): void {
  if (channel === 'baseColor') material.setBaseColorFactor([r, g, b, a]);
  else if (channel === 'emissive') material.setEmissiveFactor([r, g, b]);
  else if (channel === 'metallicRoughness') material.setRoughnessFactor(g).setMetallicFactor(b);
  else if (channel === 'normal') material.setNormalScale(1);
}

/** The factor that a map of several materials is multiplied with: of each channel the largest. */
export const commonFactor = (factors: readonly (readonly number[])[]): number[] =>
  [0, 1, 2, 3].map((k) => Math.max(...factors.map((factor) => factor[k])));

/** What a material's own map is multiplied by, so that times the common factor it is what it was. */
export const ratioTo = (factor: readonly number[], common: readonly number[]): number[] =>
  factor.map((x, k) => (common[k] > 0 ? x / common[k] : 1));
