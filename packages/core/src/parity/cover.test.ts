import { describe, expect, it } from 'vitest';
import { lookAt, Painter, type SceneMaterial } from '../appearance/index.ts';
import { type Sheet, sheets, slot } from '../testing/sheets.ts';
import { looksByMaterial } from './by-material.ts';
import { coverOf, type Shot } from './cover.ts';

const SIZE = 48;
const skin: Partial<SceneMaterial> = { name: 'Skin', factor: [0.6, 0.35, 0.25, 1], roughness: 0.7, metallic: 0 };
const shot = (list: readonly Sheet[]): Shot => {
  const scene = sheets(list),
    painter = new Painter(SIZE),
    picture = painter.picture(scene);
  painter.draw(scene, lookAt([0, 0, 0], 0.5, 0, 0), { meant: picture });
  return { scene, picture };
};
const all = (value: 0 | 1) => new Uint8Array(SIZE * SIZE).fill(value);
const between = (a: readonly Sheet[], b: readonly Sheet[], noticed: 0 | 1 = 0) =>
  coverOf(shot(a), shot(b), shot(b), all(noticed), all(noticed));
const tilted = (degrees: number) => {
  const lean = (degrees * Math.PI) / 180;
  return slot(
    4,
    4,
    () => [Math.round(127.5 + 127.5 * Math.sin(lean)), 128, Math.round(127.5 + 127.5 * Math.cos(lean)), 255],
    'data',
  );
};

describe('what shows of each material', () => {
  it('is alike, and nothing missed, between a figure and itself', () => {
    const [row, ...others] = between([{ z: 0, material: skin }], [{ z: 0, material: skin }], 1);
    expect(others).toEqual([]);
    expect(row).toMatchObject({
      material: 'Skin',
      missed: { result: 0, drawn: 0 },
      surface: { roughness: 0, degrees: 0 },
    });
    expect([row.result, row.drawn]).toEqual([row.source, row.source]);
    expect(row.source).toBeGreaterThan(1000);
  });
  it('says how far roughness and normals are off, on the average of what both show', () => {
    const [rough] = between([{ z: 0, material: skin }], [{ z: 0, material: { ...skin, roughness: 0.45 } }]);
    expect(rough.surface).toEqual({ roughness: 0.25, degrees: 0 });
    const [turned] = between(
      [{ z: 0, material: { ...skin, normal: tilted(0) } }],
      [{ z: 0, material: { ...skin, normal: tilted(12) } }],
    );
    expect(turned.surface.roughness).toBe(0);
    expect(Math.abs(turned.surface.degrees - 12)).toBeLessThan(0.4);
    // Half of it: mean over both halves.
    const left: Sheet = { z: 0, half: 0.15, x: -0.15, material: skin },
      right: Sheet = { ...left, x: 0.15 },
      [half] = between([left, right], [left, { ...right, material: { ...skin, roughness: 0.5 } }]);
    expect(Math.abs(half.surface.roughness - 0.1)).toBeLessThan(0.01);
  });
  it('speaks of the layer that shows most, and not of pixels that show another material', () => {
    const coat: Partial<SceneMaterial> = { name: 'Coat', factor: [0.1, 0.2, 0.5, 0.9], mode: 'BLEND', solid: false },
      under: Sheet = { z: 0, material: skin },
      over = (roughness: number): Sheet => ({ z: 0.02, material: { ...coat, roughness } }),
      rows = between([under, over(0.3)], [under, over(0.6)]);
    expect(rows.find(({ material }) => material === 'Coat')?.surface.roughness).toBeCloseTo(0.3, 2);
    expect(rows.find(({ material }) => material === 'Skin')?.surface).toEqual({ roughness: 0, degrees: 0 });
    const [other] = between([under], [{ z: 0, material: { ...skin, name: 'Cloth', roughness: 0.1 } }], 1);
    expect(other).toMatchObject({ material: 'Skin', result: 0, surface: { roughness: 0, degrees: 0 } });
    expect(other.missed.result).toBe(other.source);
  });
  it('is missed only where a difference is noticed', () => {
    const gone = (noticed: 0 | 1) =>
      between([{ z: 0, material: skin }], [{ z: 9, material: skin }], noticed)[0].missed.result;
    expect(gone(0)).toBe(0);
    expect(gone(1)).toBeGreaterThan(1000);
  });
});

describe('what all views say of a material', () => {
  const view = { name: 'v', middle: [0, 0, 0] as [number, number, number], heightM: 1, yaw: 0, pitch: 0 },
    loss = { deltaE: { mean: 0, p99: 0 }, structure: 1, light: 'side' as const, regions: [] },
    row = (material: string, source: number, missed: number, roughness: number, degrees: number) => ({
      view,
      converted: loss,
      drawn: loss,
      coverage: [
        {
          material,
          source,
          result: source,
          drawn: source,
          missed: { result: missed, drawn: 0 },
          surface: { roughness, degrees },
        },
      ],
    });
  it('is the worst of each, and nothing of what hardly shows; those that are missed come first', () => {
    expect(
      looksByMaterial([
        row('Skin', 1000, 0, 0.1, 2),
        row('Skin', 500, 10, 0.02, 6),
        row('Hair', 400, 100, 0, 0),
        row('Lashes', 100, 100, 1, 90),
      ]),
    ).toEqual([
      { material: 'Hair', pixels: 400, missed: 25, roughness: 0, degrees: 0 },
      { material: 'Skin', pixels: 1000, missed: 2, roughness: 0.1, degrees: 6 },
    ]);
  });
  it('passes over results from before it was measured', () => {
    const old = {
      view,
      converted: loss,
      drawn: loss,
      coverage: [{ material: 'Skin', source: 900, result: 900, drawn: 900 }],
    };
    expect(looksByMaterial([old as never])).toEqual([]);
  });
});
