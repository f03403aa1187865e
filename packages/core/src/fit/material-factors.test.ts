import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { commonFactor, factorOf, ratioTo, setFactor } from './material-factors.ts';

describe('factors of materials that share a map', () => {
  it('are the largest of each channel, and what is left of each goes into the map', () => {
    const factors = [
        [0.5, 1, 0.2, 1],
        [1, 0.25, 0.2, 0.5],
      ],
      common = commonFactor(factors);
    expect(common).toEqual([1, 1, 0.2, 1]);
    for (const factor of factors) expect(ratioTo(factor, common).map((ratio, k) => ratio * common[k])).toEqual(factor);
    // Nothing times anything is nothing: the map stays as it is.
    expect(ratioTo([0, 1, 1, 1], [0, 1, 1, 1])).toEqual([1, 1, 1, 1]);
  });
  it('are read of every channel, and put back where they were', () => {
    const material = new Document()
        .createMaterial()
        .setBaseColorFactor([0.1, 0.2, 0.3, 0.4])
        .setEmissiveFactor([0.5, 0.6, 0.7])
        .setRoughnessFactor(0.8)
        .setMetallicFactor(0.9)
        .setNormalScale(2),
      other = new Document().createMaterial();
    for (const channel of ['baseColor', 'emissive', 'metallicRoughness', 'normal', 'occlusion'] as const)
      setFactor(other, channel, factorOf(material, channel));
    expect(other.getBaseColorFactor()).toEqual([0.1, 0.2, 0.3, 0.4]);
    expect(other.getEmissiveFactor()).toEqual([0.5, 0.6, 0.7]);
    expect([other.getRoughnessFactor(), other.getMetallicFactor()]).toEqual([0.8, 0.9]);
    // Slopes are laid into the map as steep as they were.
    expect(other.getNormalScale()).toBe(1);
    expect(factorOf(material, 'normal')[0]).toBe(2);
    expect(factorOf(material, 'sheenColor')).toEqual([1, 1, 1, 1]);
  });
});
