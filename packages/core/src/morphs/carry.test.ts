import type { Document, Primitive } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { floatsOf, listParts } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { gridOf, sheetFigure } from '../testing/sheet-figure.ts';
import { carryMorphs } from './carry.ts';
import { carryStep } from './carry-step.ts';

/** A round rise of five centimetres in the middle of the skin. */
const rise = (x: number, y: number) => [0, 0, 0.05 * Math.max(0, 1 - 4 * (x * x + (y - 0.5) ** 2))] as const;

/** A sheet of skin that rises, with a sheet of something before it. */
function worn(material: string, away: number, name = 'Over'): { document: Document; over: Primitive; skin: Primitive } {
  const { document, prim } = sheetFigure({ belly: rise }, { columns: 16, rows: 16 }),
    { positions, indices } = gridOf(16, 16),
    over = document
      .createPrimitive()
      .setMaterial(document.createMaterial(material))
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(positions.map((x, k) => (k % 3 === 2 ? away : x))),
      )
      .setIndices(document.createAccessor().setType('SCALAR').setArray(indices));
  document
    .getRoot()
    .listScenes()[0]
    .addChild(document.createNode(name).setMesh(document.createMesh(name).addPrimitive(over)));
  return { document, over, skin: prim };
}
const raised = (prim: Primitive): Float32Array => {
  const target = prim.listTargets()[0];
  return target
    ? floatsOf(target.getAttribute('POSITION') as never).filter((_, k) => k % 3 === 2)
    : new Float32Array(0);
};

describe('what is worn', () => {
  it('goes along with the skin below it, and lies no nearer to it than before', () => {
    const { document, over, skin } = worn('Cloth', 0.01),
      told = carryMorphs(document, ['belly']),
      [a, b] = [raised(skin), raised(over)];
    expect(told).toMatchObject([{ name: 'belly', part: 'Over' }]);
    expect(b).toHaveLength(a.length);
    b.forEach((z, i) => expect(z, String(i)).toBeGreaterThan(a[i] - 1e-3));
    expect(Math.max(...b)).toBeLessThan(0.06);
    expect(told[0].farthestMm).toBeCloseTo(Math.max(...b) * 1000, 1);
    // Far from the rise next to nothing moves.
    expect(b[0]).toBeLessThan(1e-4);
  });
  it('goes along less the further it is off, and not at all beyond its reach', () => {
    const most = (away: number) => {
      const { document, over } = worn('Cloth', away);
      carryMorphs(document, ['belly']);
      return Math.max(0, ...raised(over));
    };
    expect(most(0.03)).toBeGreaterThan(0.045);
    expect(most(0.05)).toBeGreaterThan(0.005);
    expect(most(0.05)).toBeLessThan(0.045);
    expect(most(0.07)).toBe(0);
  });
  it('keeps a movement of its own, and eyes and teeth are carried by nothing', () => {
    const { document, over } = worn('Cloth', 0.01),
      own = floatsOf(over.getAttribute('POSITION') as never).map((_, k) => (k === 2 ? 0.001 : 0));
    over.addTarget(
      document
        .createPrimitiveTarget('belly')
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(own)),
    );
    listParts(document)[1].mesh.setExtras({ targetNames: ['belly'] });
    expect(carryMorphs(document, ['belly'])).toEqual([]);
    for (const kind of ['Teeth', 'Cornea', 'Eye', 'Tongue'])
      expect(carryMorphs(worn(kind, 0.01).document, ['belly']), kind).toEqual([]);
  });
  it('of strands hangs on its roots: a tip near other skin goes where the root goes', () => {
    const { document } = worn('Cloth', 0.5),
      hair = document
        .createPrimitive()
        .setMaterial(document.createMaterial('Lashes'))
        // Rooted in the middle of the rise, its tip over skin that stays.
        .setAttribute(
          'POSITION',
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(Float32Array.of(0, 0.5, 0.001, 0.02, 0.5, 0.001, 0.6, 0.9, 0.015)),
        )
        .setIndices(
          document
            .createAccessor()
            .setType('SCALAR')
            .setArray(Uint16Array.of(0, 1, 2)),
        );
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Lashes').setMesh(document.createMesh('Lashes').addPrimitive(hair)));
    carryMorphs(document, ['belly']);
    const [root, , tip] = raised(hair);
    expect(root).toBeGreaterThan(0.04);
    expect(tip).toBeCloseTo(root, 2);
  });
});

describe('the step', () => {
  const run = (document: Document, settings: v.InferInput<typeof carryStep.settings>) =>
    carryStep.run(document, v.parse(carryStep.settings, settings), SHIPPED_TARGETS[0], testContext());
  it('carries what is named, and says where nothing had to be', async () => {
    const { document } = worn('Cloth', 0.01);
    expect((await run(document, { names: ['belly'] })).measures.map(({ code, result }) => [code, result > 0])).toEqual([
      ['morphs-carried', true],
      ['parts-carried', true],
      ['largest-movement', true],
    ]);
    expect((await run(document, { names: ['belly'] })).findings.map(({ code }) => code)).toEqual([
      'morphs.nothing-carried',
    ]);
    expect(carryStep.applies(document, SHIPPED_TARGETS[0], v.parse(carryStep.settings, {}))).toBe(false);
  });
  it('lets no clothes follow a smile where all is carried', async () => {
    const { document, prim } = sheetFigure({ smile: rise, belly: rise }, { columns: 8, rows: 8 }),
      over = prim.clone();
    for (const target of over.listTargets()) over.removeTarget(target);
    over.setMaterial(document.createMaterial('Cloth'));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Shirt').setMesh(document.createMesh('Shirt').addPrimitive(over)));
    await run(document, { all: true });
    expect(listParts(document).find(({ name }) => name === 'Shirt')?.morphNames).toEqual(['belly']);
  });
});
