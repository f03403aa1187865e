import { Document } from '@gltf-transform/core';
import { KHRTextureTransform } from '@gltf-transform/extensions';
import { describe, expect, it } from 'vitest';
import { bleedOutward, bleedUnderClear } from './bleed.ts';
import { coveredTexels } from './covered-texels.ts';

const rows = (values: ArrayLike<number>, width: number) =>
  Array.from({ length: values.length / width }, (_, y) =>
    Array.from({ length: width }, (_, x) => values[y * width + x]).join(' '),
  );

describe('bleedOutward', () => {
  it('carries values a ring a step, means of what is known, and no further than asked', () => {
    const data = Uint8Array.of(10, 0, 0, 0, 30, 0, 0, 0, 10, 0, 0, 0),
      known = Uint8Array.of(1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0);
    bleedOutward(data, 4, 3, 1, known, 2);
    expect(rows(data, 4)).toEqual(['10 20 19 0', '30 17 19 0', '10 20 19 0']);
    expect(rows(known, 4)).toEqual(['1 1 1 0', '1 1 1 0', '1 1 1 0']);
  });
  it('leaves an image without anything known, and one without anything unknown, as it is', () => {
    for (const mark of [0, 1]) {
      const data = Uint8Array.of(1, 2, 3, 4);
      bleedOutward(data, 2, 2, 1, new Uint8Array(4).fill(mark), 5);
      expect([...data]).toEqual([1, 2, 3, 4]);
    }
  });
  it('fills clear texels and leaves their alpha', () => {
    const data = Uint8Array.of(90, 80, 70, 255, 0, 0, 0, 0, 0, 0, 0, 0);
    bleedUnderClear(data, 3, 1);
    expect([...data]).toEqual([90, 80, 70, 255, 90, 80, 70, 0, 90, 80, 70, 0]);
  });
});

describe('coveredTexels', () => {
  const worn = (uv: number[], change: (document: Document) => void = () => {}) => {
    const document = new Document(),
      texture = document.createTexture(),
      material = document.createMaterial().setBaseColorTexture(texture);
    const prim = document
      .createPrimitive()
      .setMaterial(material)
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(new Float32Array((uv.length / 2) * 3)),
      )
      .setAttribute('TEXCOORD_0', document.createAccessor().setType('VEC2').setArray(Float32Array.from(uv)));
    document.createMesh().addPrimitive(prim);
    change(document);
    return coveredTexels(document, texture, 4, 4);
  };
  it('marks what a triangle touches, to the texel', () => {
    // A right angle at the top left corner, legs of two and a half texels.
    expect(rows(worn([0, 0, 0.625, 0, 0, 0.625]) as Uint8Array, 4)).toEqual([
      '1 1 1 0',
      '1 1 0 0',
      '1 0 0 0',
      '0 0 0 0',
    ]);
    expect(rows(worn([0, 0, 0, 0.625, 0.625, 0]) as Uint8Array, 4)).toEqual([
      '1 1 1 0',
      '1 1 0 0',
      '1 0 0 0',
      '0 0 0 0',
    ]);
  });
  it('says nothing of pictures that are repeated, moved, or worn by nobody', () => {
    expect(worn([0, 0, 2, 0, 0, 1])).toBeNull();
    expect(
      worn([0, 0, 1, 0, 0, 1], (document) => {
        document
          .getRoot()
          .listMaterials()[0]
          .getBaseColorTextureInfo()
          ?.setExtension(
            'KHR_texture_transform',
            document.createExtension(KHRTextureTransform).createTransform().setScale([2, 2]),
          );
      }),
    ).toBeNull();
    expect(coveredTexels(new Document(), new Document().createTexture(), 4, 4)).toBeNull();
  });
});
