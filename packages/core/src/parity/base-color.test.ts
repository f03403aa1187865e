import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer } from '../character/index.ts';
import { deltaE2000, type Pixels, toLab } from '../pixels/index.ts';
import { colorDifference, createColorSampler } from './base-color.ts';
import { MeasuredSurface, surfaceDistance } from './surface-distance.ts';

/** Two quads side by side, the second with a map of its own; every corner has its place in the texture. */
function sheets(options: { factor?: [number, number, number, number]; maps?: boolean } = {}) {
  const document = new Document();
  document.createBuffer();
  const scene = document.createScene();
  for (const [name, x] of [
    ['left', 0],
    ['right', 2],
  ] as const) {
    const accessor = (type: 'VEC3' | 'VEC2' | 'SCALAR', array: Float32Array | Uint16Array) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(array as never);
    const material = document.createMaterial(name).setBaseColorFactor(options.factor ?? [1, 1, 1, 1]);
    if (options.maps !== false)
      material.setBaseColorTexture(document.createTexture(name).setImage(Uint8Array.of(x, 1)).setMimeType('image/png'));
    scene.addChild(
      document.createNode(name).setMesh(
        document.createMesh().addPrimitive(
          document
            .createPrimitive()
            .setMaterial(material)
            .setAttribute('POSITION', accessor('VEC3', Float32Array.of(x, 0, 0, x + 1, 0, 0, x + 1, 1, 0, x, 1, 0)))
            // 0.1 … 0.9 both ways, once round in the second.
            .setAttribute(
              'TEXCOORD_0',
              accessor(
                'VEC2',
                Float32Array.of(0.1, 0.1, 0.9, 0.1, 0.9, 0.9, 0.1, 0.9).map((value) => value + x / 2),
              ),
            )
            .setIndices(accessor('SCALAR', Uint16Array.of(0, 1, 2, 0, 2, 3))),
        ),
      ),
    );
  }
  return document;
}
/** Red says the column, green the row, blue the map. */
const look = async (bytes: Uint8Array): Promise<Pixels> => ({
  width: 16,
  height: 8,
  data: Uint8Array.from({ length: 16 * 8 * 4 }, (_, i) =>
    i % 4 === 0
      ? (Math.floor(i / 4) % 16) * 15
      : i % 4 === 1
        ? Math.floor(i / 64) * 30
        : i % 4 === 2
          ? bytes[0] * 50
          : 255,
  ),
});

describe('colours of a surface', () => {
  it('are those of the map at the place that the triangle has in it, part by part', async () => {
    const document = sheets(),
      colors = await createColorSampler(document, createDeformer(document), look);
    for (const [part, blue] of [
      [0, 0],
      [1, 100],
    ])
      for (const [v, w] of [
        [0, 0],
        [1, 0],
        [0, 1],
        [0.3, 0.45],
      ]) {
        // Triangle 0 of a part goes through corners 0, 1, 2.
        const x = 0.1 * (1 - v - w) + 0.9 * v + 0.9 * w,
          y = 0.1 * (1 - v - w) + 0.1 * v + 0.9 * w,
          wanted = [Math.floor(x * 16) * 15, Math.floor(y * 8) * 30, blue];
        colors.at(part * 2, v, w).forEach((value, k) => expect(value).toBeCloseTo(wanted[k], 3));
      }
    // Triangle 1: corners 0, 2, 3; its last corner is up and left.
    const [red, green] = colors.at(3, 0, 1);
    expect([Math.round(red), Math.round(green)]).toEqual([15, 210]);
  });
  it('are tinted in linear light, and the factor alone where there is no map', async () => {
    const document = sheets({ factor: [0.5, 1, 0.2, 1], maps: false }),
      colors = await createColorSampler(document, createDeformer(document), look);
    // 0.5 and 0.2 of linear light are 188 and 124 of 255.
    expect(colors.at(0, 0.2, 0.2).map(Math.round)).toEqual([188, 255, 124]);
    const tinted = sheets({ factor: [0.5, 0.5, 0.5, 1] }),
      half = await createColorSampler(tinted, createDeformer(tinted), look),
      // Column 14 is 210 of 255: half its light is 154.
      [red] = half.at(0, 1, 0);
    expect(Math.round(red)).toBe(154);
  });
});

describe('colorDifference', () => {
  const surface = (document: Document) => {
    const deformer = createDeformer(document),
      positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
    return { deformer, measured: new MeasuredSurface(positions, deformer.indices, 400, 3) };
  };
  const between = async (a: Document, b: Document) => {
    const one = surface(a),
      two = surface(b);
    surfaceDistance(one.measured, two.measured);
    return colorDifference(
      one.measured,
      two.measured,
      await createColorSampler(a, one.deformer, look),
      await createColorSampler(b, two.deformer, look),
    );
  };
  it('is nothing between equals', async () => {
    expect(await between(sheets(), sheets())).toEqual({ mean: 0, p99: 0 });
  });
  it('of two flat colours is their difference everywhere', async () => {
    const grey = sheets({ factor: [0.2, 0.2, 0.2, 1], maps: false }),
      red = sheets({ factor: [0.4, 0.1, 0.1, 1], maps: false });
    const srgb = (linear: number) => 255 * (1.055 * linear ** (1 / 2.4) - 0.055),
      wanted = deltaE2000(toLab([srgb(0.2), srgb(0.2), srgb(0.2)]), toLab([srgb(0.4), srgb(0.1), srgb(0.1)]));
    const { mean, p99 } = await between(grey, red);
    expect(mean).toBeCloseTo(wanted, 1);
    expect(p99).toBeCloseTo(wanted, 1);
    expect(wanted).toBeGreaterThan(20);
  });
  it('counts a patch by its share, and in the 99th percentile whole', async () => {
    const a = sheets({ factor: [0.2, 0.2, 0.2, 1], maps: false }),
      b = sheets({ factor: [0.2, 0.2, 0.2, 1], maps: false });
    b.getRoot().listMaterials()[1].setBaseColorFactor([0.4, 0.1, 0.1, 1]);
    const { mean, p99 } = await between(a, b);
    expect(p99).toBeGreaterThan(20);
    expect(Math.abs(mean / p99 - 0.5)).toBeLessThan(0.1);
  });
});
