import { describe, expect, it } from 'vitest';
import { convertMaps, toMetallicRoughness } from './specular-glossiness.ts';

describe('toMetallicRoughness', () => {
  it('leaves a dielectric as it is: black and ordinary reflection are no metal', () => {
    for (const specular of [0, 0.02, 0.04]) {
      const found = toMetallicRoughness({
        diffuse: [0.5, 0.3, 0.2],
        specular: [specular, specular, specular],
        glossiness: 0.25,
      });
      expect(found.metallic).toBeCloseTo(0, 6);
      expect(found.roughness).toBeCloseTo(0.75, 10);
      found.baseColor.forEach((c, k) => expect(c).toBeCloseTo(([0.5, 0.3, 0.2][k] * (1 - specular)) / 0.96, 4));
    }
  });
  it('takes a coloured reflection over black for a metal of that colour', () => {
    const { metallic, baseColor, roughness } = toMetallicRoughness({
      diffuse: [0, 0, 0],
      specular: [1, 0.77, 0.34],
      glossiness: 0.9,
    });
    expect(metallic).toBeCloseTo(1, 3);
    expect(roughness).toBeCloseTo(0.1, 10);
    [1, 0.77, 0.34].forEach((c, k) => expect(baseColor[k]).toBeCloseTo(c, 2));
  });
  it('gives back what metallic–roughness it was made from', () => {
    // The way there is exact (same appendix): diffuse = c (1 − 0.04)(1 − m) / (1 − max specular), specular = lerp(0.04, c, m).
    for (const [c, m] of [
      [0.6, 0],
      [0.6, 0.5],
      [0.8, 1],
      [0.25, 0.2],
    ]) {
      const specular = 0.04 + (c - 0.04) * m,
        diffuse = (c * 0.96 * (1 - m)) / (1 - specular),
        found = toMetallicRoughness({
          diffuse: [diffuse, diffuse, diffuse],
          specular: [specular, specular, specular],
          glossiness: 0.5,
        });
      expect(found.metallic).toBeCloseTo(m, 4);
      expect(found.baseColor[0]).toBeCloseTo(c, 3);
    }
  });
});

describe('convertMaps', () => {
  it('goes texel by texel, sizes apart, opacity with the colour, gloss from alpha', () => {
    const diffuse = { width: 2, height: 1, data: Uint8Array.of(188, 188, 188, 255, 0, 0, 0, 128) },
      specularGlossiness = { width: 1, height: 1, data: Uint8Array.of(0, 0, 0, 51) };
    const found = convertMaps({
      diffuse,
      specularGlossiness,
      factors: { diffuse: [1, 1, 1, 1], specular: [1, 1, 1], glossiness: 1 },
    });
    // Without any reflection the colour gains what a dielectric would reflect: linear 0.503 / 0.96.
    expect([...found.baseColor.data]).toEqual([191, 191, 191, 255, 0, 0, 0, 128]);
    expect([...found.metallicRoughness.data]).toEqual([255, 204, 0, 255, 255, 204, 0, 255]);
  });
  it('takes factors where there is no map', () => {
    const found = convertMaps({
      diffuse: null,
      specularGlossiness: null,
      factors: { diffuse: [0, 0, 0, 0.5], specular: [1, 1, 1], glossiness: 0.4 },
    });
    expect([...found.baseColor.data, ...found.metallicRoughness.data]).toEqual([
      255, 255, 255, 128, 255, 153, 255, 255,
    ]);
  });
});
