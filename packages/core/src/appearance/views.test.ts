import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, jointPosition, skeletonOf } from '../character/index.ts';
import { testContext } from '../testing/context.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { backsMissed } from './backs.ts';
import { createScene } from './from-document.ts';
import { Maps } from './maps.ts';
import { STRAND_LAYERS, strandsSeen } from './strands-seen.ts';
import { standardViews } from './views.ts';

async function viewsOf(nearestM: number) {
  const document = stickFigure(),
    skeleton = skeletonOf(document),
    scene = await createScene(createDeformer(document), new Maps(testContext().images));
  const joint = (role: string) => {
    const at = skeleton.joints.findIndex((one) => one.getName() === role);
    return at < 0 ? null : jointPosition(skeleton, at);
  };
  return standardViews(scene, joint, nearestM);
}

describe('standard views', () => {
  it('see the figure from four sides, its head, eyes, mouth, hair, hand and feet, and two poses', async () => {
    const views = await viewsOf(0.4);
    expect(views.length).toBeGreaterThanOrEqual(12);
    expect(views.filter((view) => view.pose).map((view) => view.pose)).toEqual(['arms raised', 'jaw open']);
    const front = views[0];
    expect(front.heightM).toBeGreaterThan(1.5);
    const eyes = views.find((view) => view.name === 'eyes');
    expect(eyes?.heightM).toBeLessThan(0.2);
    expect(eyes?.middle[1]).toBeGreaterThan(front.middle[1] + 0.5);
  });
  it('come no nearer than the viewer does, and leave out what would show the same', async () => {
    const far = await viewsOf(4);
    expect(far.every((view) => view.heightM >= 1.3)).toBe(true);
    expect(far.some((view) => view.name === 'eyes')).toBe(false);
    expect(far.length).toBeGreaterThanOrEqual(4);
    // However far away, the figure itself is seen.
    expect((await viewsOf(40)).map(({ name }) => name)).toEqual([
      'figure, front',
      'figure, left',
      'figure, back',
      'figure, right',
    ]);
  });
  it('of nothing are none', async () => {
    const scene = await createScene(createDeformer(new Document()), new Maps(testContext().images));
    expect(standardViews(scene, () => null, 1)).toEqual([]);
  });
});

/** A flag on a mast: the flag is one sheet, seen from both sides. */
function flag(): Document {
  const document = stickFigure(),
    root = document.getRoot(),
    accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array<ArrayBuffer> | Uint16Array<ArrayBuffer>) =>
      document.createAccessor().setType(type).setArray(array);
  const sheet = document
    .createPrimitive()
    .setAttribute('POSITION', accessor('VEC3', Float32Array.of(0, 2, 0, 0.8, 2, 0, 0.8, 2.6, 0, 0, 2.6, 0)))
    .setAttribute('NORMAL', accessor('VEC3', Float32Array.of(0, 0, 1, 0, 0, 1, 0, 0, 1, 0, 0, 1)))
    .setIndices(accessor('SCALAR', Uint16Array.of(0, 1, 2, 0, 2, 3)))
    .setMaterial(document.createMaterial('Flag_Cloth'));
  root.listScenes()[0].addChild(document.createNode('Flag').setMesh(document.createMesh('Flag').addPrimitive(sheet)));
  return document;
}

describe('back faces', () => {
  it('are missed of a single sheet, and not of a closed body', () => {
    const document = flag(),
      missed = backsMissed(document),
      [cloth, body] = ['Flag_Cloth', document.getRoot().listMaterials()[0].getName()].map((name) =>
        document
          .getRoot()
          .listMaterials()
          .find((material) => material.getName() === name),
      );
    expect(missed.get(cloth ?? null)).toBeGreaterThan(0.3);
    expect(missed.get(body ?? null) ?? 0).toBeLessThan(0.04);
  });
});

describe('strands', () => {
  it('are told by pixel, those in front first, and not through what is solid', () => {
    const document = flag(),
      [sheet] = document
        .getRoot()
        .listMeshes()
        .flatMap((mesh) => (mesh.getName() === 'Flag' ? mesh.listPrimitives() : []));
    // Three layers of hair, and one behind a board.
    const layer = (z: number) => [0, 2, z, 0.8, 2, z, 0.8, 2.6, z, 0, 2.6, z],
      points = Float32Array.from([0, -0.01, 0.01, -0.2].flatMap(layer));
    sheet
      .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(points))
      .setAttribute('NORMAL', null)
      .setIndices(
        document
          .createAccessor()
          .setType('SCALAR')
          .setArray(Uint16Array.from([0, 4, 8, 12].flatMap((v) => [v, v + 1, v + 2, v, v + 2, v + 3]))),
      );
    sheet.getMaterial()?.setName('Hair');
    const board = document
      .createPrimitive()
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(Float32Array.of(-3, -1, -0.1, 4, -1, -0.1, 4, 5, -0.1, -3, 5, -0.1)),
      )
      .setIndices(
        document
          .createAccessor()
          .setType('SCALAR')
          .setArray(Uint16Array.of(0, 1, 2, 0, 2, 3)),
      )
      .setMaterial(document.createMaterial('Board_Cloth'));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Board').setMesh(document.createMesh('Board').addPrimitive(board)));
    const seen = strandsSeen(document).get('Flag') ?? new Int32Array(0),
      rows = Array.from({ length: seen.length / STRAND_LAYERS }, (_, i) => [
        ...seen.subarray(i * STRAND_LAYERS, (i + 1) * STRAND_LAYERS),
      ]);
    const layers = (row: readonly number[]) => row.map((t) => (t < 0 ? -1 : t >> 1)).join(' '),
      kinds = new Set(rows.map(layers));
    expect(rows.length).toBeGreaterThan(500);
    // From the front and from behind; the one behind the board is seen from there alone, and hides none through it.
    expect(kinds).toContain('2 0 1 -1');
    expect(kinds).toContain('3 -1 -1 -1');
    expect([...kinds].filter((kind) => kind.includes('3'))).toEqual(['3 -1 -1 -1']);
  });
});
