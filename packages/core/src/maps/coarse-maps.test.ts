import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { writePng } from '../formats/index.ts';
import { sheetOf } from '../testing/sheet.ts';
import { coarseMaps, mapDensities } from './coarse-maps.ts';
import { densityByVertex } from './texel-density.ts';

/** Squares of a metre side by side, each wearing all of a map of its own. */
function squares(sides: readonly number[], metres = 1): Document {
  const document = new Document();
  sides.forEach((side, i) => {
    const material = document.createMaterial(`M${i}`).setBaseColorTexture(
      document
        .createTexture(`map${i}`)
        .setImage(writePng({ width: side, height: side, data: new Uint8Array(side * side * 4) }))
        .setMimeType('image/png'),
    );
    const at = i * 2 * metres,
      prim = sheetOf(document, [at, 0, 0, at + metres, 0, 0, at + metres, metres, 0, at, metres, 0]).setMaterial(
        material,
      );
    document.createNode(`n${i}`).setMesh(document.createMesh().addPrimitive(prim));
  });
  const scene = document.createScene();
  for (const node of document.getRoot().listNodes()) scene.addChild(node);
  return document;
}

describe('how fine maps lie', () => {
  it('is texels on a centimetre of surface, whatever the unit', () => {
    expect(mapDensities(squares([200]))).toMatchObject([
      { side: 200, perCm: expect.closeTo(2, 5), area: expect.closeTo(1, 5) },
    ]);
    const [inCentimetres] = mapDensities(squares([200], 100), 0.01);
    expect([inCentimetres.perCm, inCentimetres.area]).toEqual([expect.closeTo(2, 3), expect.closeTo(1, 4)]);
  });
  it('tells a thumbnail from maps that are only smaller', () => {
    const coarse = (sides: number[]) =>
      coarseMaps(mapDensities(squares(sides))).map(({ found }) => found.material.getName());
    expect(coarse([800, 800, 800, 96])).toEqual(['M3']);
    expect(coarse([800, 800, 800, 200])).toEqual([]);
    expect(coarse([100, 100, 100])).toEqual([]);
    expect(coarse([])).toEqual([]);
  });
});

describe('how densely maps lie, point by point', () => {
  it('is the same all over a square, in the size that is delivered, whatever the unit', () => {
    const at = (document: Document, size: number, metres = 1) =>
      [...densityByVertex(document, () => ({ width: size, height: size }), metres).values()].map((values) => [
        ...values,
      ]);
    expect(at(squares([64, 64]), 300)).toEqual([0, 1].map(() => [0, 1, 2, 3].map(() => expect.closeTo(3, 5))));
    expect(at(squares([64], 100), 300, 0.01)[0][0]).toBeCloseTo(3, 4);
  });
  it('is told of no part without a colour map or texture places, and follows a place that is stretched', () => {
    const document = squares([64, 64]),
      [first, second] = document.getRoot().listMaterials();
    expect([
      ...densityByVertex(document, (material) => (material === first ? { width: 64, height: 64 } : null)).keys(),
    ]).toEqual(['n0']);
    const [, mesh] = document.getRoot().listMeshes(),
      [prim] = mesh.listPrimitives();
    // The upper triangle lies on half of its room.
    prim.getAttribute('TEXCOORD_0')?.setArray(Float32Array.of(0, 1, 1, 1, 1, 0, 0.5, 0.5));
    const [values] = densityByVertex(document, (material) =>
      material === second ? { width: 100, height: 100 } : null,
    ).values();
    expect(values[1]).toBeCloseTo(1, 5);
    expect(values[3]).toBeLessThan(0.72);
    prim.setAttribute('TEXCOORD_0', null);
    expect(densityByVertex(document, () => ({ width: 64, height: 64 })).size).toBe(1);
  });
});
