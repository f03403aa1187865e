import { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts, trianglesOf } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { assemble, assembleStep, coreOf, facesByPart, findMisplaced, groupPieces, regionAt } from './index.ts';

/** A sheet of n × n squares, cut into columns of squares; square (x, y) wears the material that `wears` names. */
function sheet(
  n: number,
  pieces: number,
  wears: (x: number, y: number) => string = () => 'Cloth',
  name = (i: number) => `TST_Sheet_${i + 1}_geo`,
): Document {
  const document = new Document(),
    scene = document.createScene();
  document.createBuffer();
  const materials = new Map<string, ReturnType<typeof document.createMaterial>>();
  const material = (id: string) => {
    const known = materials.get(id) ?? document.createMaterial(id);
    materials.set(id, known);
    return known;
  };
  for (let p = 0; p < pieces; p++) {
    const mesh = document.createMesh(name(p)),
      by = new Map<string, [number, number][]>();
    for (let x = Math.floor((p * n) / pieces); x < Math.floor(((p + 1) * n) / pieces); x++)
      for (let y = 0; y < n; y++) by.set(wears(x, y), [...(by.get(wears(x, y)) ?? []), [x, y]]);
    for (const [id, squares] of by) {
      const positions: number[] = [],
        indices: number[] = [];
      for (const [x, y] of squares) {
        const i = positions.length / 3;
        positions.push(x, y, 0, x + 1, y, 0, x + 1, y + 1, 0, x, y + 1, 0);
        indices.push(i, i + 1, i + 2, i, i + 2, i + 3);
      }
      const accessor = (type: 'VEC2' | 'VEC3' | 'SCALAR', array: Float32Array | Uint32Array) =>
        document
          .createAccessor()
          .setType(type)
          .setArray(array as Float32Array<ArrayBuffer>);
      mesh.addPrimitive(
        document
          .createPrimitive()
          .setMaterial(material(id))
          .setIndices(accessor('SCALAR', Uint32Array.from(indices)))
          .setAttribute(
            'POSITION',
            accessor(
              'VEC3',
              Float32Array.from(positions, (value) => value / 100),
            ),
          )
          .setAttribute(
            'NORMAL',
            accessor(
              'VEC3',
              Float32Array.from(positions, (_, i) => (i % 3 === 2 ? 1 : 0)),
            ),
          )
          .setAttribute(
            'TEXCOORD_0',
            accessor(
              'VEC2',
              Float32Array.from(
                positions.filter((_, i) => i % 3 < 2),
                (value) => value / n,
              ),
            ),
          ),
      );
    }
    scene.addChild(document.createNode(name(p)).setMesh(mesh));
  }
  return document;
}
const faces = (document: Document) => listParts(document).reduce((sum, part) => sum + part.triangles, 0);
/** Adds a part of its own that wears a material, so that the material is at home there. */
function home(document: Document, id: string, squares: number): void {
  const other = sheet(
      squares,
      1,
      () => id,
      () => 'TST_Other_1_geo',
    ),
    [prim] = other.getRoot().listMeshes()[0].listPrimitives();
  const material =
    document
      .getRoot()
      .listMaterials()
      .find((entry) => entry.getName() === id) ?? document.createMaterial(id);
  const copy = document
    .createPrimitive()
    .setMaterial(material)
    .setIndices(document.createAccessor().setType('SCALAR').setArray(trianglesOf(prim)));
  for (const semantic of prim.listSemantics()) {
    const accessor = prim.getAttribute(semantic);
    if (accessor)
      copy.setAttribute(
        semantic,
        document
          .createAccessor()
          .setType(accessor.getType())
          .setArray(
            floatsOf(accessor).map((v, i) =>
              semantic === 'POSITION' && i % 3 === 2 ? 5 : v,
            ) as Float32Array<ArrayBuffer>,
          ),
      );
  }
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode('TST_Other_1_geo').setMesh(document.createMesh('Other').addPrimitive(copy)));
}

describe('groupPieces', () => {
  it('goes by what names have of their own', () => {
    expect(coreOf('SGN_Head_01_geo', 'SGN_', '_geo')).toBe('Head');
    expect(coreOf('arm.003', '', '')).toBe('arm');
    expect(coreOf('TST_Sheet_12_geo', 'TST_Sheet_', '_geo')).toBe('Sheet');
    expect(coreOf('12_7', '12_', '')).toBe('12_7');
    expect(groupPieces(sheet(16, 8)).map((group) => [group.name, group.parts.length])).toEqual([['Sheet', 8]]);
  });
});

describe('assemble', () => {
  it('joins pieces into one closed surface: every border is welded, nothing is lost', () => {
    const document = sheet(16, 8),
      done = assemble(document, { join: true, misplaced: findMisplaced(groupPieces(document)) });
    expect(done.joined).toEqual([{ name: 'Sheet', pieces: 8 }]);
    const [part, ...rest] = listParts(document);
    expect(rest).toEqual([]);
    expect(part.triangles).toBe(16 * 16 * 2);
    expect(part.vertices).toBe(17 * 17);
    expect(
      createDeformer(document)
        .evaluate(new Float32Array(17 * 17 * 3))
        .every(Number.isFinite),
    ).toBe(true);
  });
  it('keeps a seam where texture places differ, and floating shells apart', () => {
    const document = sheet(16, 8),
      [node] = document.getRoot().listNodes(),
      uv = node.getMesh()?.listPrimitives()[0].getAttribute('TEXCOORD_0');
    uv?.setArray(floatsOf(uv).map((v, i) => (i % 2 ? v : v + 0.5)) as Float32Array<ArrayBuffer>);
    assemble(document, { join: true, misplaced: findMisplaced(groupPieces(document)) });
    expect(listParts(document)[0].vertices).toBe(17 * 17 + 17);
  });
  it('finds faces in a wrong material and gives them back', () => {
    const document = sheet(16, 8, (x, y) => (x > 4 && x < 8 && y > 5 && y < 9 ? 'Rubber' : 'Cloth'));
    home(document, 'Rubber', 12);
    expect(
      findMisplaced(groupPieces(document)).map((entry) => [
        entry.from?.getName(),
        entry.to?.getName(),
        entry.triangles,
      ]),
    ).toEqual([['Rubber', 'Cloth', 18]]);
    const before = faces(document),
      done = assemble(document, { join: true, misplaced: findMisplaced(groupPieces(document)) });
    expect(done.replaced).toBe(18);
    expect(faces(document)).toBe(before);
    expect(listParts(document).map((part) => [part.name, part.material?.getName(), part.triangles])).toEqual([
      ['Other', 'Rubber', 288],
      ['Sheet', 'Cloth', 512],
    ]);
  });
  it('leaves a material alone that is at home where it lies, and one with texture places of its own', () => {
    const own = sheet(16, 8, (x, y) => (x > 4 && x < 8 && y > 5 && y < 9 ? 'Badge' : 'Cloth'));
    expect(findMisplaced(groupPieces(own))).toEqual([]);
    home(own, 'Badge', 12);
    for (const part of listParts(own))
      if (part.material?.getName() === 'Badge') {
        const uv = part.prim.getAttribute('TEXCOORD_0');
        uv?.setArray(floatsOf(uv).map((v) => v * 0.3 + 0.6) as Float32Array<ArrayBuffer>);
      }
    expect(findMisplaced(groupPieces(own)).filter((entry) => entry.group.name === 'Sheet')).toEqual([]);
  });
  it('names a region by one of its faces, with what touches it, and tells faces by their own part', () => {
    const document = sheet(16, 8, (x, y) => (x > 4 && x < 8 && y > 5 && y < 9 ? 'Rubber' : 'Cloth'));
    home(document, 'Rubber', 12);
    const groups = groupPieces(document),
      [found] = findMisplaced(groups),
      by = facesByPart(found.group, found.faces);
    expect([...by.values()].reduce((sum, faces) => sum + faces.length, 0)).toBe(18);
    for (const [part, faces] of by) {
      const own = listParts(document).find((entry) => entry.id === part);
      expect(own?.material?.getName()).toBe('Rubber');
      for (const face of faces) {
        expect(face).toBeLessThan(own?.triangles ?? 0);
        const region = regionAt(groups, { part, face });
        expect(region?.faces.length).toBe(18);
        expect(region?.beside.map((material) => material?.getName())).toEqual(['Cloth']);
      }
    }
    expect(regionAt(groups, { part: 'no such part', face: 0 })).toBe(null);
    expect(regionAt(groups, { part: [...by.keys()][0], face: 1e6 })).toBe(null);
  });
  it('lets the user say otherwise: a region stays, another goes where nothing was found', async () => {
    const spots = () => {
      const document = sheet(16, 8, (x, y) =>
        x > 4 && x < 8 && y > 5 && y < 9 ? 'Rubber' : x > 10 && y > 10 ? 'Badge' : 'Cloth',
      );
      home(document, 'Rubber', 12);
      return document;
    };
    const count = (document: Document) =>
      Object.fromEntries(
        [...new Set(listParts(document).map((part) => part.material?.getName() ?? ''))].sort().map((name) => [
          name,
          listParts(document)
            .filter((part) => part.material?.getName() === name && !part.node.getName().includes('Other'))
            .reduce((sum, part) => sum + part.triangles, 0),
        ]),
      );
    const run = async (document: Document, settings: object) => {
      const result = await assembleStep.run(
        document,
        v.parse(assembleStep.settings, settings),
        SHIPPED_TARGETS[0],
        testContext(),
      );
      return { result, count: count(document) };
    };
    const untouched = count(spots()),
      wrong = spots(),
      [found] = findMisplaced(groupPieces(wrong)),
      [[part, [face]]] = facesByPart(found.group, found.faces);
    expect((await run(spots(), {})).count).toEqual({ ...untouched, Rubber: 0, Cloth: untouched.Cloth + 18 });
    expect((await run(wrong, { hand: [{ part, face, to: null }] })).count).toEqual(untouched);
    const badge = listParts(spots()).find((entry) => entry.material?.getName() === 'Badge');
    const given = await run(spots(), { slots: false, hand: [{ part: badge?.id, face: 0, to: 'Cloth' }] });
    expect(given.count.Cloth).toBe(untouched.Cloth + untouched.Badge);
    expect(given.count.Rubber).toBe(untouched.Rubber);
    expect(given.result.findings.map((finding) => finding.code)).toEqual(['materials.replaced']);
    const gone = await run(spots(), {
      slots: false,
      hand: [
        { part: 'gone', face: 0, to: 'Cloth' },
        { part: badge?.id, face: 0, to: 'No such material' },
      ],
    });
    expect(gone.count).toEqual(untouched);
    expect(gone.result.findings.map((finding) => finding.code)).toEqual([
      'materials.choice-gone',
      'materials.choice-gone',
    ]);
  });
  it('runs for a choice by hand alone', () => {
    const whole = sheet(
      6,
      2,
      () => 'Cloth',
      (i) => ['Body', 'Hat'][i],
    );
    expect(
      assembleStep.applies(
        whole,
        SHIPPED_TARGETS[0],
        v.parse(assembleStep.settings, { hand: [{ part: 'Body', face: 0, to: null }] }),
      ),
    ).toBe(true);
  });
  it('does nothing to a character that comes whole', () => {
    expect(
      assembleStep.applies(
        sheet(
          6,
          2,
          () => 'Cloth',
          (i) => ['Body', 'Hat'][i],
        ),
        SHIPPED_TARGETS[0],
      ),
    ).toBe(false);
  });
  it('tells what went where', async () => {
    const document = sheet(16, 8, (x, y) => (x > 4 && x < 8 && y > 5 && y < 9 ? 'Rubber' : 'Cloth'));
    home(document, 'Rubber', 12);
    const { measures, findings } = await assembleStep.run(
      document,
      { join: true, slots: true, reference: null, hand: [] },
      SHIPPED_TARGETS[0],
      testContext(),
    );
    expect(measures.find((measure) => measure.name === 'triangles in another material')?.result).toBe(18);
    expect(findings[0].message).toBe('18 triangles of “Sheet” went from “Rubber” to “Cloth”.');
  });
});
