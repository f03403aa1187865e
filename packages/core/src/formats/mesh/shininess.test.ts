import { describe, expect, it } from 'vitest';
import { roughnessOfShininess, shininessOfRoughness } from './shininess.ts';

describe('shininess and roughness', () => {
  it.each([
    [0, 1],
    [20, 0.549],
    [100, 0.374],
    [1000, 0.211],
  ])('exponent %d is roughness %d', (shininess, roughness) => {
    expect(roughnessOfShininess(shininess)).toBeCloseTo(roughness, 3);
  });
  it('goes there and back', () => {
    for (const roughness of [0.1, 0.3, 0.55, 0.8, 1])
      expect(roughnessOfShininess(shininessOfRoughness(roughness))).toBeCloseTo(roughness, 10);
  });
});
