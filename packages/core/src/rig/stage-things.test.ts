import { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { listParts, copyDocument } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { inspectFindings, summarise } from '../inspect/index.ts';
import { leaveOutStep } from '../intake/index.ts';
import { measureStance } from './stance.ts';
import { stageThings } from './stage-things.ts';
import { standAsFound } from './stand-as-found.ts';

/** Adds a box of the given size about a place, on a node of its own or under one that is there. */
function box(
  document: Document,
  name: string,
  size: [number, number, number],
  at: [number, number, number],
  under: string | null = null,
): void {
  const points = new Float32Array(24),
    indices = [
      0, 1, 2, 1, 3, 2, 4, 6, 5, 5, 6, 7, 0, 4, 1, 1, 4, 5, 2, 3, 6, 3, 7, 6, 0, 2, 4, 2, 6, 4, 1, 5, 3, 3, 5, 7,
    ];
  for (let i = 0; i < 8; i++) for (let k = 0; k < 3; k++) points[i * 3 + k] = size[k] * (((i >> k) & 1) - 0.5);
  const accessor = (type: 'VEC3' | 'SCALAR', array: Float32Array | Uint16Array) =>
    document
      .createAccessor()
      .setType(type)
      .setArray(array as Float32Array<ArrayBuffer>);
  const node = document
    .createNode(name)
    .setTranslation(at)
    .setMesh(
      document.createMesh(name).addPrimitive(
        document
          .createPrimitive()
          .setAttribute('POSITION', accessor('VEC3', points))
          .setIndices(accessor('SCALAR', Uint16Array.from(indices))),
      ),
    );
  const above = document
    .getRoot()
    .listNodes()
    .find((entry) => entry.getName() === under);
  if (above) above.addChild(node);
  else document.getRoot().listScenes()[0].addChild(node);
}
const found = (document: Document) => stageThings(document).map(({ part, why }) => `${part.name}: ${why}`);
const run = (document: Document, settings: object = {}) =>
  leaveOutStep.run(document, v.parse(leaveOutStep.settings, settings), SHIPPED_TARGETS[0], testContext());
const names = (document: Document) => listParts(document).map((part) => part.name);
const staged = () => {
  const document = stickFigure();
  box(document, 'Plane.001', [4, 0.001, 4], [0, 0, 0]);
  box(document, 'Bollard', [0.4, 0.8, 0.4], [2.2, 0.4, 0]);
  box(document, 'Shed', [6, 5, 6], [0, 2, 0]);
  box(document, 'Deck_Floor', [0.5, 0.2, 0.5], [0, -0.1, 0]);
  return document;
};

describe('stageThings', () => {
  it('finds sheets, what stands apart, what lies around and what is called so', () => {
    expect(found(staged())).toEqual([
      'Plane.001: a flat sheet as long as the figure',
      'Bollard: stands apart from the figure',
      'Shed: lies all around the figure',
      'Deck_Floor: by its name',
    ]);
  });
  it('finds nothing in a figure alone, nor in what it wears or carries', () => {
    const document = stickFigure();
    expect(found(document)).toEqual([]);
    box(document, 'Radio', [0.08, 0.2, 0.05], [0.15, 1.2, 0.12]);
    box(document, 'Cape', [0.6, 0.9, 0.02], [0, 1, -0.15]);
    box(document, 'Boathook', [0.03, 2.4, 0.03], [1.3, 0.5, 0], 'leftHand');
    expect(found(document)).toEqual([]);
  });
  it('goes by name and flatness alone where nothing is bound, and never takes everything', () => {
    const document = new Document();
    document.createScene();
    box(document, 'Torso', [0.5, 0.9, 0.3], [0, 1.2, 0]);
    box(document, 'Far_Boot', [0.2, 0.2, 0.3], [3, 0.1, 0]);
    box(document, 'Sheet', [5, 5, 0.001], [0, 1, -1]);
    expect(found(document)).toEqual(['Sheet: a flat sheet as long as the figure']);
    const floors = new Document();
    floors.createScene();
    box(floors, 'Floor_1', [1, 1, 1], [0, 0, 0]);
    box(floors, 'Floor_2', [1, 1, 1], [2, 0, 0]);
    expect(found(floors)).toEqual([]);
  });
  it("keeps the figure's height and floor out of it, whichever way it lies", () => {
    const bare = measureStance(stickFigure()),
      document = staged();
    expect(measureStance(document)).toMatchObject({ heightCm: bare.heightCm, upAxis: 'y', unitMetres: 1 });
    expect(summarise(document, 'Mate').heightCm).toBe(bare.heightCm);
    standAsFound(document);
    expect(Math.abs(measureStance(document).lowestCm)).toBeLessThan(0.11);
    expect(
      inspectFindings(staged(), summarise(staged(), 'Mate')).find((finding) => finding.code === 'intake.stage-things'),
    ).toMatchObject({ measured: 4, repair: 'intake.leave-out' });
  });
});

describe('intake.leave-out', () => {
  it('takes them away, with reasons, and leaves the figure as it was', async () => {
    const document = staged();
    expect(leaveOutStep.applies(document, SHIPPED_TARGETS[0])).toBe(true);
    const { measures, findings } = await run(document);
    expect(names(document)).toEqual(['Body']);
    expect(measures[0]).toMatchObject({ source: 5, result: 1 });
    expect(findings.map((finding) => finding.code)).toEqual(Array.from({ length: 4 }, () => 'intake.left-out'));
    expect(leaveOutStep.applies(document, SHIPPED_TARGETS[0])).toBe(false);
  });
  it('keeps what the user keeps, drops what the user drops, and says what is not there', async () => {
    const document = staged();
    box(document, 'Badge', [0.05, 0.05, 0.01], [0, 1.2, 0.12]);
    const { findings } = await run(document, { keep: ['Bollard'], drop: ['Badge', 'Ghost'] });
    expect(names(document).sort()).toEqual(['Body', 'Bollard']);
    expect(findings.filter((finding) => finding.severity === 'warning').map((finding) => finding.where)).toEqual([
      'Ghost',
    ]);
    const whole = copyDocument(stickFigure());
    await run(whole, { drop: ['Body'] });
    expect(names(whole)).toEqual(['Body']);
  });
  it('takes one place of a mesh that stands in two', async () => {
    const document = staged(),
      mesh =
        document
          .getRoot()
          .listNodes()
          .find((node) => node.getName() === 'Bollard')
          ?.getMesh() ?? null;
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Near').setMesh(mesh).setTranslation([0.3, 0.4, 0]));
    await run(document);
    expect(names(document).sort()).toEqual(['Body', 'Near']);
  });
});
