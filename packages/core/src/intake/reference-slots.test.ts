import { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { listParts } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { assembleStep, findMisplaced, groupPieces, misplacedByReference, withReference } from './index.ts';

/** A head of n × n squares over its whole tile; `wears` names the material of square (x, y). */
function head(n: number, wears: (x: number, y: number) => string, name = 'Head', tile = 0): Document {
  const document = new Document(),
    by = new Map<string, number[]>(),
    mesh = document.createMesh(name);
  document.createBuffer();
  for (let y = 0; y < n; y++) for (let x = 0; x < n; x++) by.set(wears(x, y), [...(by.get(wears(x, y)) ?? []), x, y]);
  const accessor = (type: 'VEC2' | 'VEC3' | 'SCALAR', array: Float32Array | Uint32Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  for (const [material, squares] of by) {
    const positions: number[] = [],
      uv: number[] = [],
      indices: number[] = [];
    for (let s = 0; s < squares.length; s += 2) {
      const [x, y] = [squares[s], squares[s + 1]],
        i = positions.length / 3;
      for (const [dx, dy] of [
        [0, 0],
        [1, 0],
        [1, 1],
        [0, 1],
      ]) {
        positions.push((x + dx) / 100, (y + dy) / 100, 0);
        uv.push((x + dx) / n + tile, (y + dy) / n);
      }
      indices.push(i, i + 1, i + 2, i, i + 2, i + 3);
    }
    mesh.addPrimitive(
      document
        .createPrimitive()
        .setMaterial(document.createMaterial(material))
        .setAttribute('POSITION', accessor('VEC3', Float32Array.from(positions)))
        .setAttribute('TEXCOORD_0', accessor('VEC2', Float32Array.from(uv)))
        .setIndices(accessor('SCALAR', Uint32Array.from(indices))),
    );
  }
  document.createScene().addChild(document.createNode(name).setMesh(mesh));
  return document;
}
const mouth = (x: number, y: number) => y >= 4 && y < 6 && x >= 5 && x < 11;
const right = () => head(16, (x, y) => (mouth(x, y) ? 'Lips' : 'Skin_Head'));
/** Half of the lips wear the skin of the limbs: they touch lips and skin alike, which the surface around can't settle. */
const wrong = () => head(16, (x, y) => (mouth(x, y) ? (x < 8 ? 'Skin_Limbs' : 'Lips') : 'Skin_Head'));
const told = (document: Document, reference = right()) => {
  const groups = groupPieces(document);
  return misplacedByReference(groups, reference, document.getRoot().listMaterials()).map(
    (entry) => `${entry.triangles} ${entry.from?.getName()} → ${entry.to?.getName()}`,
  );
};

describe('misplacedByReference', () => {
  it("tells what the surface around can't: half a mouth in another material", () => {
    expect(findMisplaced(groupPieces(wrong()))).toEqual([]);
    expect(told(wrong())).toEqual(['12 Skin_Limbs → Lips']);
    expect(told(right())).toEqual([]);
  });
  it('lays tiles on one another, and compares by role where no name fits', () => {
    expect(
      told(
        wrong(),
        head(16, (x, y) => (mouth(x, y) ? 'Lips' : 'Skin_Head'), 'Face', 3),
      ),
    ).toEqual(['12 Skin_Limbs → Lips']);
    expect(
      told(
        wrong(),
        head(16, () => 'Lips', 'Boots'),
      ),
    ).toEqual([]);
  });
  it('sends nothing to a material that is not there, and lives without texture places', () => {
    expect(
      told(
        wrong(),
        head(16, () => 'Vellum'),
      ),
    ).toEqual([]);
    const bare = wrong();
    for (const part of listParts(bare)) part.prim.setAttribute('TEXCOORD_0', null);
    expect(told(bare)).toEqual([]);
    expect(told(wrong(), bare)).toEqual([]);
  });
  it('stands above what was found otherwise, face by face', () => {
    const document = wrong(),
      groups = groupPieces(document),
      [skin, limbs, lips] = ['Skin_Head', 'Skin_Limbs', 'Lips'].map(
        (name) =>
          document
            .getRoot()
            .listMaterials()
            .find((material) => material.getName() === name) ?? null,
      ),
      [group] = groups;
    const merged = withReference(
      [{ group, from: limbs, to: skin, triangles: 3, faces: [1, 2, 3] }],
      [{ group, from: limbs, to: lips, triangles: 2, faces: [2, 3] }],
    );
    expect(merged.map((entry) => [entry.to?.getName(), entry.faces, entry.triangles])).toEqual([
      ['Lips', [2, 3], 2],
      ['Skin_Head', [1], 1],
    ]);
  });
});

describe('intake.assemble with a reference', () => {
  const settings = (reference: string | null) => v.parse(assembleStep.settings, { reference });
  it('repairs by it, and says what went where', async () => {
    const document = wrong(),
      context = { ...testContext(), character: async () => ({ document: right(), name: 'Bosun' }) };
    expect(assembleStep.applies(document, SHIPPED_TARGETS[0], settings('bosun'))).toBe(true);
    const { findings } = await assembleStep.run(document, settings('bosun'), SHIPPED_TARGETS[0], context);
    expect(findings.map((finding) => finding.message)).toEqual([
      '12 triangles of “Head” went from “Skin_Limbs” to “Lips”.',
    ]);
    expect(
      listParts(document)
        .map((part) => [part.material?.getName(), part.triangles])
        .sort(),
    ).toEqual([
      ['Lips', 24],
      ['Skin_Head', 488],
    ]);
  });
  it("says so when it can't be had", async () => {
    await expect(
      assembleStep.run(wrong(), settings('gone'), SHIPPED_TARGETS[0], {
        ...testContext(),
        character: async () => {
          throw new Error('it is not here any more');
        },
      }),
    ).rejects.toMatchObject({ code: 'materials.no-reference', where: 'gone' });
    await expect(assembleStep.run(wrong(), settings('gone'), SHIPPED_TARGETS[0], testContext())).rejects.toMatchObject({
      code: 'materials.no-reference',
    });
  });
});
