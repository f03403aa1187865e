import { Document } from '@gltf-transform/core';
import { sharpCodec } from '@dimetra/platform';
import { describe, expect, it } from 'vitest';
import { testContext } from '../testing/context.ts';
import { DerivedMaps } from './derived-maps.ts';
import { Openness, OPENNESS_SIZE, withBounces } from './openness.ts';
import { treat } from './treat.ts';
import { parseTreatment } from './treatment.ts';

/** A floor of teeth a decimetre square, laid over its whole map, and walls of gums that stand on it. */
function floor(walls: readonly { x: number; high: number }[], color: Uint8Array | null = null) {
  const document = new Document(),
    scene = document.createScene();
  document.createBuffer();
  const add = (name: string, positions: number[], normals: number[], indices: number[], uv?: number[]) => {
    const vec = (type: 'VEC2' | 'VEC3', values: number[]) =>
      document.createAccessor().setType(type).setArray(Float32Array.from(values));
    const material = document.createMaterial(name),
      prim = document
        .createPrimitive()
        .setMaterial(material)
        .setAttribute('POSITION', vec('VEC3', positions))
        .setAttribute('NORMAL', vec('VEC3', normals))
        .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices)));
    if (uv) prim.setAttribute('TEXCOORD_0', vec('VEC2', uv));
    scene.addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(prim)));
    return material;
  };
  const grid = 20,
    positions: number[] = [],
    uv: number[] = [],
    faces: number[] = [];
  for (let j = 0; j <= grid; j++)
    for (let i = 0; i <= grid; i++) {
      positions.push((i / grid - 0.5) * 0.1, 0, (j / grid - 0.5) * 0.1);
      uv.push(i / grid, j / grid);
      const at = j * (grid + 1) + i;
      if (i < grid && j < grid) faces.push(at, at + grid + 1, at + 1, at + 1, at + grid + 1, at + grid + 2);
    }
  const teeth = add('Teeth', positions, Array.from({ length: uv.length / 2 }, () => [0, 1, 0]).flat(), faces, uv);
  if (color) teeth.setBaseColorTexture(document.createTexture('teeth').setMimeType('image/png').setImage(color));
  for (const { x, high } of walls)
    add(
      'Gums',
      [x, -0.01, -0.3, x, high, -0.3, x, high, 0.3, x, -0.01, 0.3],
      [1, 0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0],
      [0, 1, 2, 0, 2, 3],
    );
  return { document, teeth };
}
/** Openness halfway along the map's rows, at a place across it, metres from the middle. */
const at = (open: Uint8Array, x: number): number =>
  open[(OPENNESS_SIZE / 2) * OPENNESS_SIZE + Math.round((x / 0.1 + 0.5) * (OPENNESS_SIZE - 1))] / 255;

describe('how open a surface is', () => {
  it('is all of it where nothing stands around', () => {
    const { document, teeth } = floor([]),
      found = new Openness(document).of(teeth);
    expect(found?.least).toBeGreaterThan(0.99);
  });
  it('is what a wall leaves of the sky, whichever side of it is seen', () => {
    const { document, teeth } = floor([{ x: -0.05, high: 0.02 }]),
      found = new Openness(document).of(teeth);
    if (!found) throw new Error('it lies on a map');
    // Beside a wall of height h at distance d, cosine-weighted: (1 + d ÷ √(d² + h²)) ÷ 2.
    for (const d of [0.01, 0.02, 0.04]) {
      const free = (1 + d / Math.hypot(d, 0.02)) / 2;
      expect(at(found.open, d - 0.05), `${d}`).toBeCloseTo(withBounces(free), 1);
    }
    const behind = floor([{ x: 0.05, high: 0.02 }]),
      back = new Openness(behind.document).of(behind.teeth);
    expect(at(back?.open ?? new Uint8Array(), 0.04)).toBeCloseTo(at(found.open, -0.04), 1);
  });
  it('gets lighter by what walls throw on, from nothing to all', () => {
    expect([withBounces(0), withBounces(1)]).toEqual([0, 1]);
    expect(withBounces(0.5)).toBeCloseTo(2 / 3, 10);
  });
});

describe('shade as a treatment', () => {
  const shaded = parseTreatment({
    schema: 1,
    id: 'shaded',
    title: 'Shaded',
    channels: { shade: { strength: 0.8, color: 0.5 } },
  });
  const white = async () =>
    (await sharpCodec.encode?.({ width: 64, height: 64, data: new Uint8Array(64 * 64 * 4).fill(255) })) as Uint8Array;
  const context = { ...testContext(), images: sharpCodec };

  it('becomes occlusion, and dims colours where it is dark', async () => {
    const { document, teeth } = floor(
        [
          { x: -0.05, high: 0.05 },
          { x: -0.02, high: 0.05 },
        ],
        await white(),
      ),
      work = new DerivedMaps(document, context);
    expect(await treat(work, teeth, shaded)).toEqual(['shade of what is around']);
    await work.written();
    expect(teeth.getOcclusionStrength()).toBe(0.8);
    const pixelsOf = (image: Uint8Array | null | undefined) => sharpCodec.decode(image as Uint8Array),
      occlusion = await pixelsOf(teeth.getOcclusionTexture()?.getImage()),
      color = await pixelsOf(teeth.getBaseColorTexture()?.getImage());
    const here = ({ width, height, data }: typeof color, x: number) =>
      data[((height / 2) * width + Math.round((x / 0.1 + 0.5) * (width - 1))) * 4];
    expect(here(occlusion, -0.035)).toBeLessThan(150);
    expect(here(occlusion, 0.045)).toBeGreaterThan(230);
    // In linear light: half of what is missing is taken off.
    const dark = here(occlusion, -0.035) / 255,
      linear = 1 - 0.5 * (1 - dark),
      byte = 255 * (1.055 * linear ** (1 / 2.4) - 0.055);
    expect(Math.abs(here(color, -0.035) - byte)).toBeLessThan(6);
    expect(here(color, 0.045)).toBeGreaterThan(245);
  });
  it('leaves an occlusion that came along, and what nothing shades', async () => {
    const open = floor([], await white());
    expect(await treat(new DerivedMaps(open.document, context), open.teeth, shaded)).toEqual([]);
    const own = floor([{ x: -0.05, high: 0.05 }], await white()),
      map = own.document.createTexture('own').setImage(await white());
    own.teeth.setOcclusionTexture(map);
    expect(await treat(new DerivedMaps(own.document, context), own.teeth, shaded)).toEqual([]);
    expect(own.teeth.getOcclusionTexture()).toBe(map);
  });
});
