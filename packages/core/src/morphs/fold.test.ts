import type { Document, Primitive } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf, listMorphNames, listParts } from '../character/index.ts';
import { sheetFigure } from '../testing/sheet-figure.ts';
import { testContext } from '../testing/context.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { foldMorphs } from './fold.ts';
import { foldStep } from './fold-step.ts';
import * as v from 'valibot';

const MORPHS = {
  up: (x: number, y: number) => [0, y * 0.1, 0.02 * x] as const,
  out: (x: number) => [0.05 * x, 0, 0.3] as const,
  twist: (x: number, y: number) => [0.01 * y, -0.02, 0.1 * x * y] as const,
};
const positions = (prim: Primitive) => floatsOf(prim.getAttribute('POSITION') as never);
const prims = (document: Document) => listParts(document)[0].prim;

/** Where the vertices and unit normals are with a dialling: written out here, without our deformer. */
function dialled(document: Document, weights: Record<string, number>) {
  const { prim, morphNames } = listParts(document)[0],
    places = Array.from(positions(prim)),
    normals = Array.from(floatsOf(prim.getAttribute('NORMAL') as never));
  prim.listTargets().forEach((target, i) => {
    const weight = weights[morphNames[i]] ?? 0;
    target
      .getAttribute('POSITION')
      ?.getArray()
      ?.forEach((d: number, k: number) => {
        places[k] += weight * d;
      });
    target
      .getAttribute('NORMAL')
      ?.getArray()
      ?.forEach((d: number, k: number) => {
        normals[k] += weight * d;
      });
  });
  for (let i = 0; i < normals.length; i += 3) {
    const l = Math.hypot(normals[i], normals[i + 1], normals[i + 2]);
    for (let k = i; k < i + 3; k++) normals[k] /= l;
  }
  return { places, normals };
}
const furthest = (a: readonly number[], b: readonly number[]) => Math.max(...a.map((x, i) => Math.abs(x - b[i])));

describe('folding a mix', () => {
  for (const normals of [true, false])
    it(`into the shape at rest: what stays reaches what it reached with the mix${normals ? ', normals too' : ''}`, () => {
      const { document } = sheetFigure(MORPHS, { normals }),
        folded = copyDocument(document);
      foldMorphs(folded, { weights: { up: 0.7, out: -0.4 }, into: 'base', keep: false });
      expect(listMorphNames(folded)).toEqual(['twist']);
      for (const twist of [0, 0.3, 1, -1.5]) {
        const was = dialled(document, { up: 0.7, out: -0.4, twist }),
          now = dialled(folded, { twist });
        expect(furthest(was.places, now.places)).toBeLessThan(1e-6);
        if (normals) expect(furthest(was.normals, now.normals)).toBeLessThan(1e-6);
      }
    });
  it('and kept: in full it is in full again, and what was folded in full is gone', () => {
    const { document } = sheetFigure(MORPHS),
      folded = copyDocument(document);
    foldMorphs(folded, { weights: { up: 0.25, out: 1 }, into: 'base', keep: true });
    expect(listMorphNames(folded)).toEqual(['up', 'twist']);
    expect(furthest(dialled(document, { up: 1, out: 1 }).places, dialled(folded, { up: 1 }).places)).toBeLessThan(1e-6);
  });
  it('turns normals as the surface turns where morphs say nothing of them', () => {
    // Leaning by 45 degrees about x: z grows with y.
    const { document } = sheetFigure({ lean: (_, y) => [0, 0, y] as const });
    foldMorphs(document, { weights: { lean: 1 }, into: 'base', keep: false });
    const normals = floatsOf(prims(document).getAttribute('NORMAL') as never);
    for (let i = 0; i < normals.length; i += 3)
      expect([...normals.slice(i, i + 3)].map((x) => Math.round(x * 1e5) / 1e5)).toEqual([0, -0.70711, 0.70711]);
  });
  it('into one morph: the sum, under its name, and the others stay as they are', () => {
    const { document } = sheetFigure(MORPHS, { normals: true }),
      folded = copyDocument(document);
    foldMorphs(folded, { weights: { up: 0.5, out: 2 }, into: 'mood', keep: false });
    expect(listMorphNames(folded)).toEqual(['twist', 'mood']);
    const was = dialled(document, { up: 0.5, out: 2, twist: 0.2 }),
      now = dialled(folded, { mood: 1, twist: 0.2 });
    expect(furthest(was.places, now.places)).toBeLessThan(1e-6);
    expect(furthest(was.normals, now.normals)).toBeLessThan(1e-6);
    expect(dialled(folded, {}).places).toEqual(dialled(document, {}).places);
  });
  it('keeps clips at the morphs they played, and says which lost theirs', () => {
    const { document } = sheetFigure(MORPHS),
      [node] = document.getRoot().listNodes(),
      scalar = (values: number[]) => document.createAccessor().setType('SCALAR').setArray(Float32Array.from(values)),
      sampler = document
        .createAnimationSampler()
        .setInput(scalar([0, 1]))
        .setOutput(scalar([0.1, 0.2, 0.3, 0.4, 0.5, 0.6]));
    document
      .createAnimation('talk')
      .addSampler(sampler)
      .addChannel(document.createAnimationChannel().setTargetNode(node).setTargetPath('weights').setSampler(sampler));
    document.createAnimation('still');
    expect(foldMorphs(document, { weights: { out: 1 }, into: 'base', keep: false }).clips).toEqual(['talk']);
    const [channel] = document.getRoot().listAnimations()[0].listChannels();
    expect([...(channel.getSampler()?.getOutput()?.getArray() ?? [])].map((x) => Math.round(x * 10) / 10)).toEqual([
      0.1, 0.3, 0.4, 0.6,
    ]);
    // What is played no longer isn't kept either.
    expect(document.getRoot().listAnimations()[0].listSamplers()).toEqual([channel.getSampler()]);
    expect(foldMorphs(document, { weights: { up: 1, twist: 1 }, into: 'base', keep: false }).clips).toEqual(['talk']);
    expect(document.getRoot().listAnimations()[0].listSamplers()).toEqual([]);
    expect(document.getRoot().listAnimations()[0].listChannels()).toEqual([]);
    expect(listMorphNames(document)).toEqual([]);
  });
});

describe('the step', () => {
  const [target] = SHIPPED_TARGETS;
  const run = (document: Document, settings: v.InferInput<typeof foldStep.settings>) =>
    foldStep.run(document, v.parse(foldStep.settings, settings), target, testContext());
  it('makes every named mix of the morphs as they came, then folds', async () => {
    const { document } = sheetFigure(MORPHS),
      was = copyDocument(document);
    await run(document, {
      mixes: [
        { name: 'a', weights: { up: 1 } },
        { name: 'b', weights: { up: 1, twist: 1 } },
      ],
      fold: { out: 1 },
    });
    expect(listMorphNames(document)).toEqual(['a', 'b']);
    expect(
      furthest(dialled(was, { out: 1, up: 2, twist: 1 }).places, dialled(document, { a: 1, b: 1 }).places),
    ).toBeLessThan(1e-6);
  });
  it('gives no mix the name of a morph that it doesn’t hold', async () => {
    const { document } = sheetFigure(MORPHS),
      { findings } = await run(document, { fold: { up: 1 }, into: 'twist' });
    expect(findings.map(({ code, where }) => [code, where])).toEqual([['morphs.name-taken', 'twist']]);
    expect(listMorphNames(document)).toEqual(Object.keys(MORPHS));
    await run(document, { fold: { up: 1, twist: 0.5 }, into: 'twist' });
    expect(listMorphNames(document)).toEqual(['out', 'twist']);
  });
  it('refuses weights that are no numbers or beyond all measure', () => {
    for (const fold of [{ up: Number.NaN }, { up: Infinity }, { up: 11 }, { up: '1' }])
      expect(v.safeParse(foldStep.settings, { fold }).success, JSON.stringify(fold)).toBe(false);
  });
});
