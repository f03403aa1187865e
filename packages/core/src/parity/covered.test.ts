import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts, copyDocument } from '../character/index.ts';
import { compareCharacters } from './compare.ts';
import { coveredTriangles } from './covered.ts';
import { drawnFigure } from './drawn.ts';

/** A ball of rings and sides about (0, 1, 0), metres; triangles above `open` are left out. */
function ball(document: Document, name: string, radius: number, open = Infinity): void {
  const rings = 24,
    sides = 32,
    positions: number[] = [],
    indices: number[] = [];
  for (let r = 0; r <= rings; r++)
    for (let s = 0; s < sides; s++) {
      const a = (Math.PI * r) / rings,
        b = (2 * Math.PI * s) / sides;
      positions.push(radius * Math.sin(a) * Math.sin(b), 1 + radius * Math.cos(a), radius * Math.sin(a) * Math.cos(b));
    }
  for (let r = 0; r < rings; r++)
    for (let s = 0; s < sides; s++) {
      const i = r * sides + s,
        j = r * sides + ((s + 1) % sides);
      if (positions[i * 3 + 1] - 1 > open) continue;
      indices.push(i, i + sides, j + sides, i, j + sides, j);
    }
  const accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array | Uint32Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const prim = document
    .createPrimitive()
    .setMaterial(document.createMaterial(name === 'Body' ? 'Skin_Body' : 'Jacket_Cloth'))
    .setAttribute('POSITION', accessor('VEC3', Float32Array.from(positions)))
    .setIndices(accessor('SCALAR', Uint32Array.from(indices)));
  (document.getRoot().listScenes()[0] ?? document.createScene()).addChild(
    document.createNode(name).setMesh(document.createMesh(name).addPrimitive(prim)),
  );
}
const dressed = (open = Infinity): Document => {
  const document = new Document();
  document.createBuffer();
  ball(document, 'Body', 0.2);
  ball(document, 'Jacket', 0.24, open);
  return document;
};
const rest = (document: Document) => {
  const deformer = createDeformer(document);
  return { deformer: drawnFigure(deformer), positions: deformer.evaluate(new Float32Array(deformer.vertices * 3)) };
};
/** Every vertex of a part moved outwards by a factor about the ball's middle. */
const grown = (document: Document, name: string, factor: number): Document => {
  const copy = copyDocument(document),
    position = listParts(copy)
      .find((part) => part.name === name)
      ?.prim.getAttribute('POSITION');
  position?.setArray(
    floatsOf(position).map((x, i) => (i % 3 === 1 ? 1 + (x - 1) * factor : x * factor)) as Float32Array<ArrayBuffer>,
  );
  return copy;
};

describe('coveredTriangles', () => {
  it('finds the whole body under a closed jacket, and nothing of the jacket', () => {
    const { deformer, positions } = rest(dressed()),
      covered = coveredTriangles(deformer, [positions]),
      [body, jacket] = deformer.parts;
    expect(covered.subarray(body.firstTriangle, body.firstTriangle + body.triangles).every(Boolean)).toBe(true);
    expect(covered.subarray(jacket.firstTriangle, jacket.firstTriangle + jacket.triangles).some(Boolean)).toBe(false);
  });
  it('leaves open what shows through an opening, or in one of several shapes', () => {
    const { deformer, positions } = rest(dressed(0.1)),
      covered = coveredTriangles(deformer, [positions]),
      [body] = deformer.parts;
    const at = (low: number, high: number) =>
      [...covered.subarray(body.firstTriangle, body.firstTriangle + body.triangles)].filter((_, t) => {
        const y = positions[deformer.indices[(body.firstTriangle + t) * 3] * 3 + 1] - 1;
        return y > low && y < high;
      });
    expect(at(0.13, 0.2).some(Boolean)).toBe(false);
    expect(at(-0.19, -0.05).every(Boolean)).toBe(true);
    // In the second shape the body stands beside its jacket.
    const aside = positions.slice();
    for (let v = body.firstVertex; v < body.firstVertex + body.vertices; v++) aside[v * 3] += 1;
    expect(coveredTriangles(deformer, [positions, aside]).some(Boolean)).toBe(false);
  });
  it('covers nothing under what is seen through, nor a body that stands alone', () => {
    const glass = dressed();
    listParts(glass)[1].material?.setName('Visor_Glass');
    const through = rest(glass);
    expect(coveredTriangles(through.deformer, [through.positions]).some(Boolean)).toBe(false);
    const alone = new Document();
    ball(alone, 'Body', 0.2);
    const bare = rest(alone);
    expect(coveredTriangles(bare.deformer, [bare.positions]).some(Boolean)).toBe(false);
  });
});

describe('parity of a figure in clothes', () => {
  it('counts what can be seen, and what clothes cover by itself', async () => {
    const source = dressed(),
      { shape } = await compareCharacters(source, grown(source, 'Body', 0.95), { samples: 3000 });
    expect(shape.rest.maxMm).toBe(0);
    expect(shape.covered?.rmsMm).toBeCloseTo(10, 0);
    expect(shape.covered?.share).toBeCloseTo(0.04 / (0.04 + 0.0576), 2);
    const coat = await compareCharacters(source, grown(source, 'Jacket', 1.02), { samples: 3000 });
    expect(coat.shape.rest.rmsMm).toBeCloseTo(4.8, 0);
    expect(coat.shape.covered?.rmsMm).toBe(0);
  });
  it('is nothing against itself, with the covered part too', async () => {
    const source = dressed(0.1),
      { shape } = await compareCharacters(source, copyDocument(source), { samples: 2000 });
    expect([shape.rest.maxMm, shape.covered?.maxMm]).toEqual([0, 0]);
  });
});
