import { describe, expect, it } from 'vitest';
import { lookAt } from './camera.ts';
import { Comparison } from './difference.ts';
import { Painter } from './draw.ts';
import type { Picture } from './picture.ts';
import type { SceneMaterial } from './scene.ts';
import { type Sheet, sheets, slot } from '../testing/sheets.ts';

const SIZE = 96,
  front = lookAt([0, 0, 0], 0.5, 0, 0);
const paint = (list: readonly Sheet[]): Picture => {
  const painter = new Painter(SIZE),
    scene = sheets(list),
    meant = painter.picture(scene);
  painter.draw(scene, front, { meant });
  return meant;
};
const skin: Partial<SceneMaterial> = { factor: [0.6, 0.35, 0.25, 1], roughness: 0.7 };
const ground: Sheet = { z: 0, half: 0.2, material: skin };
const seen = (noticed: Uint8Array) => noticed.reduce((sum, one) => sum + one, 0);
const differ = (a: readonly Sheet[], b: readonly Sheet[]) => new Comparison(SIZE).compare(paint(a), paint(b));

describe('two pictures of one view', () => {
  it('that are equal differ by exactly nothing', () => {
    expect(differ([ground], [ground])).toMatchObject({
      deltaE: { mean: 0, p99: 0 },
      structure: 1,
      regions: [],
    });
    expect(seen(differ([ground], [ground]).noticed)).toBe(0);
    const empty = new Comparison(SIZE).compare(paint([{ ...ground, x: 9 }]), paint([{ ...ground, x: 9 }]));
    expect([empty.covered, empty.regions.length]).toEqual([0, 0]);
  });
  it('tell of a patch: where it is, how large, of which materials', () => {
    // 4 cm of 50 on 96 pixels: 7.7 across.
    const patch: Sheet = { z: 0.01, half: 0.02, x: 0.1, material: { factor: [0.05, 0.1, 0.6, 1], roughness: 0.7 } },
      { regions, deltaE, structure, noticed } = differ([ground], [ground, patch]);
    expect(regions).toHaveLength(1);
    const [region] = regions;
    expect(region.pixels).toBeGreaterThan(40);
    expect(region.pixels).toBeLessThan(110);
    // The softened rim shows too.
    expect(seen(noticed)).toBeGreaterThanOrEqual(region.pixels);
    expect(seen(noticed)).toBeLessThan(150);
    expect([region.from, region.to]).toEqual([0, 1]);
    expect(region.deltaE).toBeGreaterThan(20);
    expect(Math.abs((region.pixel % SIZE) - 68)).toBeLessThan(3);
    expect(Math.abs(Math.floor(region.pixel / SIZE) - 48)).toBeLessThan(3);
    expect(deltaE.mean).toBeGreaterThan(0.5);
    expect(structure).toBeLessThan(0.99);
  });
  it('forgive a shift of one pixel and a step of grey, not lines that went', () => {
    const stripes = (from: number) => ({
      ...ground,
      material: {
        ...skin,
        base: slot(64, 64, (x) => ((x + from) % 16 < 8 ? [220, 220, 220, 255] : [30, 30, 30, 255])),
      },
    });
    // A texel of 64 on 77 pixels: 1.2 pixels.
    expect(differ([stripes(0)], [stripes(1)]).regions).toEqual([]);
    expect(differ([stripes(0)], [stripes(5)]).regions.length).toBeGreaterThan(0);
    const lighter = { ...ground, material: { ...skin, factor: [0.605, 0.354, 0.253, 1] as const } };
    expect(differ([ground], [lighter])).toMatchObject({ regions: [] });
    expect(differ([ground], [lighter]).deltaE.mean).toBeGreaterThan(0);
  });
  it('weigh what differs more, or on more pixels, more', () => {
    const patch = (half: number, blue: number): Sheet => ({
        z: 0.01,
        half,
        material: { factor: [0.6 - blue, 0.35, 0.25 + blue, 1], roughness: 0.7 },
      }),
      weight = (half: number, blue: number) => differ([ground], [ground, patch(half, blue)]).regions[0]?.weight ?? 0;
    expect(weight(0.05, 0.3)).toBeGreaterThan(weight(0.03, 0.3));
    expect(weight(0.05, 0.5)).toBeGreaterThan(weight(0.05, 0.3));
    // Thinner than three pixels it is a line.
    expect(weight(0.004, 0.5)).toBe(0);
    expect(seen(differ([ground], [ground, patch(0.004, 0.5)]).noticed)).toBeGreaterThan(0);
  });
  it('show gloss that went, under a light that it shines in', () => {
    const dull = { ...ground, material: { ...skin, roughness: 1 } },
      shiny = { ...ground, material: { ...skin, roughness: 0.15, reflection: [0.3, 0.3, 0.3] as const } };
    const { deltaE, light } = differ([shiny], [dull]);
    expect(deltaE.mean).toBeGreaterThan(1);
    expect(light).not.toBe('flat');
  });
});
