import { Document, type TypedArray } from '@gltf-transform/core';
import { expect, it } from 'vitest';
import { createDeformer, floatsOf } from '../character/index.ts';
import { carryColors } from './carry-colors.ts';
import { dropReplaced, FROM_SHARES, FROM_TRIANGLE, keepReplaced, type Replaced, replacedIn } from './replaced.ts';

/** A strip of old skin one unit wide with a colour at each corner, and new vertices that say where on it they lie. */
function exchanged(
  colors: { type: 'VEC3' | 'VEC4'; values: TypedArray } | null,
  from: number[],
  shares: number[],
  places: number[],
  corners: number[],
) {
  const document = new Document(),
    scene = document.createScene(),
    put = (type: 'SCALAR' | 'VEC2' | 'VEC3' | 'VEC4', values: TypedArray) =>
      document
        .createAccessor()
        .setType(type)
        .setArray(values as Float32Array<ArrayBuffer>),
    old = document
      .createPrimitive()
      .setAttribute('POSITION', put('VEC3', Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0)))
      .setIndices(put('SCALAR', Uint16Array.of(0, 1, 2, 0, 2, 3)))
      .setMaterial(document.createMaterial('Skin')),
    node = document.createNode('Skin').setMesh(document.createMesh('Skin').addPrimitive(old));
  document.createBuffer();
  scene.addChild(node);
  if (colors)
    old.setAttribute(
      'COLOR_0',
      put(colors.type, colors.values).setNormalized(!(colors.values instanceof Float32Array)),
    );
  const deformer = createDeformer(document);
  keepReplaced(document, deformer, deformer.evaluate(new Float32Array(12)));
  node.dispose();
  const fresh = document
    .createPrimitive()
    .setAttribute('POSITION', put('VEC3', Float32Array.from(places)))
    .setAttribute(FROM_TRIANGLE, put('SCALAR', Float32Array.from(from)))
    .setAttribute(FROM_SHARES, put('VEC2', Float32Array.from(shares)))
    .setIndices(put('SCALAR', Uint16Array.from(corners)))
    .setMaterial(document.createMaterial('New'));
  scene.addChild(document.createNode('New').setMesh(document.createMesh('New').addPrimitive(fresh)));
  return { document, fresh, replaced: replacedIn(document) as Replaced };
}
const colored = (prim: ReturnType<typeof exchanged>['fresh']) => {
  const accessor = prim.getAttribute('COLOR_0');
  return accessor && [...floatsOf(accessor)];
};
/** At corner (1,0), in the middle of the strip, a quarter up its diagonal; then one that lies on nothing, and one further in. */
const FROM = [0, 0, 0, -1, -1],
  SHARES = [1, 0, 0, 0.5, 0, 0.25, 0, 0, 0, 0],
  PLACES = [1, 0, 0, 0.5, 0.5, 0, 0.25, 0.25, 0, 0, 0, -1, 0, 0, -2],
  CORNERS = [0, 1, 2, 1, 2, 3, 2, 3, 4];

it('colours of vertices are those of the places that the new ones lie on; inside, those of the neighbours', () => {
  const values = Float32Array.of(0, 0, 0, 1, 0, 0, 1, 1, 1, 0, 0, 0),
    { document, fresh, replaced } = exchanged({ type: 'VEC3', values }, FROM, SHARES, PLACES, CORNERS);
  expect(carryColors(document, replaced)).toBe(5);
  const grey = [0.375, 0.375, 0.375];
  // The fourth has the second and third beside it, the fifth the third and fourth, of which only one had a colour then.
  expect(colored(fresh)).toEqual([1, 0, 0, 0.5, 0.5, 0.5, 0.25, 0.25, 0.25, ...grey, 0.25, 0.25, 0.25]);
  dropReplaced(document);
  expect(fresh.listSemantics()).toEqual(['POSITION', 'COLOR_0']);
});

it('bytes stay bytes, opacity goes along', () => {
  const values = Uint8Array.of(0, 0, 0, 255, 255, 0, 0, 51, 255, 255, 255, 101, 0, 0, 0, 255),
    { document, fresh, replaced } = exchanged({ type: 'VEC4', values }, FROM, SHARES, PLACES, CORNERS);
  carryColors(document, replaced);
  expect(fresh.getAttribute('COLOR_0')?.getArray()).toBeInstanceOf(Uint8Array);
  expect([...(fresh.getAttribute('COLOR_0')?.getArray() ?? [])].slice(0, 8)).toEqual([
    255, 0, 0, 51, 128, 128, 128, 178,
  ]);
});

it('nothing is coloured where nothing was; numbers that are none count as black', () => {
  const plain = exchanged(null, FROM, SHARES, PLACES, CORNERS);
  expect(carryColors(plain.document, plain.replaced)).toBe(0);
  expect(colored(plain.fresh)).toBeNull();
  const values = Float32Array.of(Number.NaN, 0, 0, Infinity, 0, 0, 1, 1, 1, 0, 0, 0),
    spoilt = exchanged({ type: 'VEC3', values }, FROM, SHARES, PLACES, CORNERS);
  carryColors(spoilt.document, spoilt.replaced);
  for (const value of colored(spoilt.fresh) ?? []) expect(value >= 0 && value <= 1).toBe(true);
});
