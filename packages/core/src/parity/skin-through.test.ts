import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer } from '../character/index.ts';
import { drawnFigure, skinThrough, wearsClothes } from './index.ts';

/** A tube of cloth around a tube of skin, axes along Y, the skin's closed at its ends; `skin` metres thick where the cloth is 5 cm. */
function sleeve(skin: (y: number) => number, cloth = 'Jacket_Cloth'): Document {
  const document = new Document(),
    scene = document.createScene();
  const tube = (name: string, material: string, radius: (y: number) => number) => {
    const points: number[] = [],
      indices: number[] = [],
      rings = 40,
      sides = 32;
    for (let r = 0; r <= rings; r++)
      for (let s = 0; s < sides; s++) {
        const a = (2 * Math.PI * s) / sides,
          y = r / rings;
        const end = name === 'Body' && (r === 0 || r === rings) ? 0 : 1;
        points.push(end * radius(y) * Math.cos(a), y, end * radius(y) * Math.sin(a));
      }
    for (let r = 0; r < rings; r++)
      for (let s = 0; s < sides; s++) {
        const a = r * sides + s,
          b = r * sides + ((s + 1) % sides);
        indices.push(a, a + sides, b, b, a + sides, b + sides);
      }
    scene.addChild(
      document.createNode(name).setMesh(
        document.createMesh(name).addPrimitive(
          document
            .createPrimitive()
            .setMaterial(document.createMaterial(material))
            .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(Float32Array.from(points)))
            .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint16Array.from(indices))),
        ),
      ),
    );
  };
  tube('Body', 'Skin_Body', skin);
  tube('Jacket', cloth, () => 0.05);
  return document;
}
const through = (document: Document) => {
  const deformer = createDeformer(document);
  return skinThrough(drawnFigure(deformer), [deformer.evaluate(new Float32Array(deformer.vertices * 3))])[0];
};

describe('skinThrough', () => {
  it('is little for skin that lies under its cloth: what shows in at the open ends', () => {
    expect(through(sleeve(() => 0.04))).toBeLessThan(8);
  });
  it('measures a band of skin that comes through, in square centimetres', () => {
    // From 0.4 to 0.6 m the skin stands 6 mm out of the cloth: a band of 2π · 5.6 cm × 20 cm is 704 cm².
    const found = through(sleeve((y) => (y > 0.395 && y < 0.605 ? 0.056 : 0.04)));
    expect(found).toBeGreaterThan(704 * 0.85);
    expect(found).toBeLessThan(704 * 1.2);
  });
  it('takes another limb in front of cloth, further than two centimetres, for no fault', () => {
    expect(through(sleeve(() => 0.09))).toBeLessThan(100);
  });
  it('is asked only of figures that wear something', () => {
    expect(wearsClothes(drawnFigure(createDeformer(sleeve(() => 0.04))))).toBe(true);
    expect(wearsClothes(drawnFigure(createDeformer(sleeve(() => 0.04, 'Skin_Arm'))))).toBe(true);
  });
});
