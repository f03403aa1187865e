import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { ownOf } from '../character/index.ts';
import { operationsOf } from '../pixels/index.ts';
import { putMap } from './find-step.ts';

const dark = () => {
  const document = new Document(),
    material = document
      .createMaterial('Coat')
      .setBaseColorFactor([0.2, 0.2, 0.2, 0.5])
      .setRoughnessFactor(0.3)
      .setMetallicFactor(0.8)
      .setEmissiveFactor([0, 0, 0]);
  return { document, material, map: document.createTexture('map'), other: document.createTexture('other') };
};

describe('a map put on a material', () => {
  it('speaks: no factor of its channel silences it, and opacity stays', () => {
    const { material, map } = dark();
    expect(['baseColor', 'emissive', 'orm'].map((channel) => putMap(material, channel as 'orm', map))).toEqual([
      true,
      true,
      true,
    ]);
    expect(material.getBaseColorTexture()).toBe(map);
    expect(material.getBaseColorFactor()).toEqual([1, 1, 1, 0.5]);
    expect([material.getEmissiveTexture(), material.getEmissiveFactor()]).toEqual([map, [1, 1, 1]]);
    expect([material.getMetallicRoughnessTexture(), material.getOcclusionTexture()]).toEqual([map, map]);
    expect([material.getRoughnessFactor(), material.getMetallicFactor()]).toEqual([1, 1]);
  });
  it('of roughness alone says nothing of metal, and one of gloss is turned', () => {
    for (const channel of ['roughness', 'gloss'] as const) {
      const { material, map } = dark();
      putMap(material, channel, map);
      expect([material.getRoughnessFactor(), material.getMetallicFactor()]).toEqual([1, 0]);
      expect(operationsOf(map)).toEqual(channel === 'gloss' ? [{ op: 'invert' }] : []);
    }
  });
  it('takes the place of nothing but normals, which are brought to be exchanged', () => {
    const { material, map, other } = dark();
    material
      .setBaseColorTexture(other)
      .setMetallicRoughnessTexture(other)
      .setOcclusionTexture(other)
      .setNormalTexture(other);
    for (const channel of ['baseColor', 'roughness', 'gloss', 'occlusion'] as const)
      expect(putMap(material, channel, map), channel).toBe(false);
    expect(operationsOf(map)).toEqual([]);
    expect(putMap(material, 'normal', map)).toBe(true);
    expect([material.getBaseColorTexture(), material.getOcclusionTexture(), material.getNormalTexture()]).toEqual([
      other,
      other,
      map,
    ]);
  });
  it('waits with the material where glTF has no place for it', () => {
    const { material, map, other } = dark();
    putMap(material, 'height', map);
    putMap(material, 'specular', other);
    expect(ownOf(material, 'maps')).toEqual({ height: 'map', specular: 'other' });
  });
});
