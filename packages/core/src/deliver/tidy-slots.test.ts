import { Document } from '@gltf-transform/core';
import { expect, it } from 'vitest';
import { tidySlots } from './tidy-slots.ts';

it('a slot without weight names the first joint, in each part by its own weights', () => {
  const document = new Document(),
    given = Uint8Array.of(3, 1, 2, 4),
    joints = document.createAccessor().setType('VEC4').setArray(given),
    of = (...weights: number[]) => {
      const prim = document
        .createPrimitive()
        .setAttribute('JOINTS_0', joints)
        .setAttribute('WEIGHTS_0', document.createAccessor().setType('VEC4').setArray(Float32Array.from(weights)));
      document.createMesh('part').addPrimitive(prim);
      return prim;
    },
    prims = [of(1, 0, 0, 0), of(0.25, 0.25, 0.5, 0), of(0.25, 0.25, 0.25, 0.25)];
  tidySlots(document);
  expect(prims.map((prim) => [...(prim.getAttribute('JOINTS_0')?.getArray() ?? [])])).toEqual([
    [3, 0, 0, 0],
    [3, 1, 2, 0],
    [3, 1, 2, 4],
  ]);
  expect([...given]).toEqual([3, 1, 2, 4]);
});
