import type { Document, Primitive } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { copyDocument, floatsOf, listMorphNames, listParts, trianglesOf } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { sheetFigure } from '../testing/sheet-figure.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { asymmetryByPart, asymmetryOf } from './asymmetry.ts';
import { mirrorPairs } from './mirror-pairs.ts';
import { flipMorphs, mirrorMorphs } from './mirror.ts';
import { mirrorBase } from './mirror-base.ts';
import { mirrorStep } from './mirror-step.ts';
import { regionShare } from './mix/region-share.ts';

const deltaOf = (document: Document, name: string, part = 0): Float32Array => {
  const { prim, morphNames } = listParts(document)[part];
  return floatsOf(prim.listTargets()[morphNames.indexOf(name)].getAttribute('POSITION') as never);
};
const places = (prim: Primitive) => floatsOf(prim.getAttribute('POSITION') as never);
/** Movement at a place of the sheet. */
const at = (document: Document, name: string, x: number, y: number): number[] => {
  const p = places(listParts(document)[0].prim),
    v = Array.from({ length: p.length / 3 }, (_, i) => i).find((i) => p[i * 3] === x && p[i * 3 + 1] === y) as number;
  return [...deltaOf(document, name).slice(v * 3, v * 3 + 3)].map((value) => Math.round(value * 1e6) / 1e6 + 0);
};

describe('partners', () => {
  it('of a sheet that is its own mirror image are all found, those in the middle their own', () => {
    const { document, prim } = sheetFigure({}),
      pairs = mirrorPairs(document),
      p = places(prim);
    for (let v = 0; v < p.length / 3; v++) {
      const u = pairs.corner[v * 3];
      expect([p[u * 3] + 0, p[u * 3 + 1]]).toEqual([-p[v * 3] + 0, p[v * 3 + 1]]);
    }
    expect(asymmetryOf(pairs)).toMatchObject({ rmsMm: 0, maxMm: 0, paired: 1 });
  });
  it('of a crooked sheet are found by how it hangs together, and how crooked it is is told', () => {
    const { document, prim } = sheetFigure({}, { columns: 8, rows: 8 }),
      moved = places(prim).slice();
    // The left side bulges to the side by up to a quarter of an edge, growing from the middle.
    for (let i = 0; i < moved.length; i += 3) if (moved[i] > 0) moved[i] += 0.0625 * moved[i];
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(moved));
    const pairs = mirrorPairs(document),
      { maxMm, paired } = asymmetryOf(pairs);
    expect(paired).toBe(1);
    expect(maxMm).toBeCloseTo(62.5, 3);
    for (let row = 0; row <= 8; row++) expect(pairs.corner[(row * 9 + 8) * 3]).toBe(row * 9);
  });
  it('tell part by part how far each vertex is from its mirror image, and nothing of strands', () => {
    const { document, prim } = sheetFigure({}, { columns: 4, rows: 1 }),
      crooked = places(prim).slice();
    // The left lower corner stands a centimetre forward.
    crooked[4 * 3 + 2] = 0.01;
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(crooked));
    const hair = prim.clone().setMaterial(document.createMaterial('Hair'));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Fringe').setMesh(document.createMesh('Fringe').addPrimitive(hair)));
    const { parts, maxMm } = asymmetryByPart(document);
    expect([...(parts.get('Face') ?? [])].map((mm) => Math.round(mm * 1e3) / 1e3)).toEqual([
      10, 0, 0, 0, 10, 0, 0, 0, 0, 0,
    ]);
    expect(maxMm).toBeCloseTo(10, 3);
    expect([...(parts.get('Fringe') ?? [])].every(Number.isNaN)).toBe(true);
  });
  it('of a figure with one arm raised are the same as before', () => {
    const standing = stickFigure(),
      raised = stickFigure(),
      arm = raised
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === 'leftUpperArm');
    arm?.setRotation([0, 0, Math.sin(0.6), Math.cos(0.6)]);
    const before = mirrorPairs(standing),
      after = mirrorPairs(raised);
    expect(asymmetryOf(after).maxMm).toBeGreaterThan(100);
    let same = 0;
    for (let v = 0; v < before.paired.length; v++)
      if (before.corner[v * 3] === after.corner[v * 3] && after.paired[v]) same++;
    expect(same / before.paired.length).toBeGreaterThan(0.97);
  });
  it('lie in the other of two parts that are each other’s image', () => {
    const { document, prim } = sheetFigure({ lift_l: (x) => [0, x, 0.5] }),
      right = prim.clone().setName('right'),
      shifted = (by: number) => Float32Array.from(places(prim), (value, k) => (k % 3 ? value : value + by));
    for (const target of right.listTargets()) right.removeTarget(target);
    right.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(shifted(-5)));
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(shifted(5)));
    document
      .getRoot()
      .listScenes()[0]
      .addChild(document.createNode('Other').setMesh(document.createMesh('Other').addPrimitive(right)));
    const pairs = mirrorPairs(document),
      count = places(prim).length / 3;
    expect(asymmetryOf(pairs)).toMatchObject({ maxMm: 0, paired: 1 });
    expect([...pairs.corner].filter((_, k) => k % 3 === 0).every((u, v) => u < count !== v < count)).toBe(true);
    // Only one part has the morph: its mirror image makes it one of the other's too.
    flipMorphs(document, pairs, ['lift_l']);
    expect(listParts(document).map(({ morphNames }) => morphNames)).toEqual([['lift_l'], ['lift_r']]);
    expect([...deltaOf(document, 'lift_r', 1).slice(0, 3)]).toEqual([0, 1, 0.5]);
  });
});

describe('mirroring', () => {
  const figure = () =>
    sheetFigure(
      { smile_l: (x, y) => [x > 0 ? 0.01 : 0, x > 0 ? 0.02 * y : 0, 0.001], frown: (x) => [0.01, 0.03 * x, 0] },
      { normals: true },
    ).document;
  it('copies one side of a morph onto the other, and the middle goes straight', () => {
    const document = figure();
    expect(mirrorMorphs(document, mirrorPairs(document), ['frown'], 'left')).toBeGreaterThan(0);
    expect(at(document, 'frown', 1, 0)).toEqual([0.01, 0.03, 0]);
    expect(at(document, 'frown', -1, 0)).toEqual([-0.01, 0.03, 0]);
    expect(at(document, 'frown', 0, 0)).toEqual([0, 0, 0]);
    expect(at(document, 'smile_l', 1, 1)).toEqual([0.01, 0.02, 0.001]);
    const other = figure();
    mirrorMorphs(other, mirrorPairs(other), ['frown'], 'right');
    expect(at(other, 'frown', 1, 0)).toEqual([-0.01, -0.03, 0]);
  });
  it('makes the counterpart of a one-sided morph, and the counterpart of that is the first again, to the last bit', () => {
    const document = figure(),
      before = deltaOf(document, 'smile_l').slice();
    expect(flipMorphs(document, mirrorPairs(document), ['smile_l'])).toEqual(['smile_r']);
    expect(listMorphNames(document)).toEqual(['smile_l', 'frown', 'smile_r']);
    expect(at(document, 'smile_r', -1, 1)).toEqual([-0.01, 0.02, 0.001]);
    expect(at(document, 'smile_r', 1, 1)).toEqual([0, 0, 0.001]);
    flipMorphs(document, mirrorPairs(document), ['smile_r']);
    expect([...deltaOf(document, 'smile_l')]).toEqual([...before]);
    const target = listParts(document)[0].prim.listTargets()[2];
    expect(target.getAttribute('NORMAL')).not.toBeNull();
  });
  it('of the shape at rest leaves one side as it is and no asymmetry behind; normals are the mirrored ones', () => {
    const { document, prim } = sheetFigure({}, { columns: 8, rows: 8 }),
      moved = places(prim).slice();
    for (let i = 0; i < moved.length; i += 3) if (moved[i] > 0) moved[i + 2] += 0.02 * moved[i] * moved[i + 1];
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(moved));
    const leaning = vertexNormals(moved, trianglesOf(prim));
    prim.setAttribute('NORMAL', document.createAccessor().setType('VEC3').setArray(leaning.slice()));
    const told = mirrorBase(document, mirrorPairs(document), 'left');
    expect(told.farthestMm).toBeCloseTo(20, 3);
    const now = places(listParts(document)[0].prim);
    for (let i = 0; i < moved.length; i += 3)
      if (moved[i] > 0) expect([...now.slice(i, i + 3)]).toEqual([...moved.slice(i, i + 3)]);
    expect(asymmetryOf(mirrorPairs(document)).maxMm).toBeLessThan(1e-3);
    const n = floatsOf(prim.getAttribute('NORMAL') as never);
    for (let v = 0; v < 9; v++)
      for (let k = 0; k < 3; k++) expect(n[(72 + v) * 3 + k]).toBeCloseTo((k ? 1 : -1) * n[(72 + 8 - v) * 3 + k], 6);
    // They lean: upwards and to the side.
    for (let v = 0; v < n.length; v += 3)
      if (moved[v] > 0) expect([...n.slice(v, v + 3)]).toEqual([...leaning.slice(v, v + 3)]);
    expect(Math.max(...leaning.filter((_, i) => i % 3 < 2).map(Math.abs))).toBeGreaterThan(0.01);
    for (let v = 0; v < n.length / 3; v++) {
      const [x, y] = [now[v * 3], now[v * 3 + 1]],
        other = Array.from({ length: n.length / 3 }, (_, i) => i).find(
          (i) => Math.abs(now[i * 3] + x) < 1e-6 && Math.abs(now[i * 3 + 1] - y) < 1e-6,
        );
      if (other === undefined || x >= 0) continue;
      expect([n[v * 3], n[v * 3 + 1], n[v * 3 + 2]]).toEqual(
        [-n[other * 3], n[other * 3 + 1], n[other * 3 + 2]].map((value) => expect.closeTo(value, 6)),
      );
    }
  });
  it('works in a mesh that stands turned and scaled in its figure', () => {
    const plain = figure(),
      turned = copyDocument(plain),
      node = turned.getRoot().listNodes()[0],
      prim = listParts(turned)[0].prim;
    // The mesh lies down and is in centimetres; the node puts it right: z becomes y.
    const laid = (values: Float32Array) =>
      Float32Array.from(values, (_, k) => 100 * [values[k], -values[k + 1], values[k - 1]][k % 3]);
    prim.setAttribute(
      'POSITION',
      turned
        .createAccessor()
        .setType('VEC3')
        .setArray(laid(places(prim))),
    );
    for (const target of prim.listTargets())
      target.setAttribute(
        'POSITION',
        turned
          .createAccessor()
          .setType('VEC3')
          .setArray(laid(floatsOf(target.getAttribute('POSITION') as never))),
      );
    node.setRotation([-Math.SQRT1_2, 0, 0, Math.SQRT1_2]).setScale([0.01, 0.01, 0.01]);
    for (const document of [plain, turned]) mirrorMorphs(document, mirrorPairs(document), ['frown'], 'left');
    const [a, b] = [deltaOf(plain, 'frown'), deltaOf(turned, 'frown')];
    laid(a).forEach((value, k) => {
      expect(b[k]).toBeCloseTo(value, 4);
    });
  });
});

describe('a mesh that joints bring to its size', () => {
  it('is mirrored as one that has it by itself', () => {
    const plain = stickFigure({ rings: 8, sides: 8 }),
      small = copyDocument(plain),
      [{ prim }] = listParts(small),
      [skin] = small.getRoot().listSkins(),
      times = (values: Float32Array, by: number) => values.map((value) => value * by),
      vec3 = (values: Float32Array) =>
        small
          .createAccessor()
          .setType('VEC3')
          .setArray(values as Float32Array<ArrayBuffer>);
    // In centimetres, and each bind brings it to metres.
    prim.setAttribute('POSITION', vec3(times(places(prim), 100)));
    prim
      .listTargets()[0]
      .setAttribute('POSITION', vec3(Float32Array.from(places(prim), (x, k) => (k % 3 === 1 ? 0.02 * x : 0))));
    const own = Float32Array.from(places(listParts(plain)[0].prim), (x, k) => (k % 3 === 1 ? 0.02 * x : 0));
    listParts(plain)[0]
      .prim.listTargets()[0]
      .setAttribute('POSITION', plain.createAccessor().setType('VEC3').setArray(own));
    const binds = skin.getInverseBindMatrices()?.getArray() as Float32Array;
    skin.setInverseBindMatrices(
      small
        .createAccessor()
        .setType('MAT4')
        .setArray(Float32Array.from(binds, (x, k) => (k % 16 < 12 ? x / 100 : x))),
    );
    for (const document of [plain, small]) mirrorMorphs(document, mirrorPairs(document), ['lift'], 'left');
    const [a, b] = [deltaOf(plain, 'lift'), deltaOf(small, 'lift')];
    expect(Math.max(...a)).toBeGreaterThan(0.02);
    a.forEach((value, k) => {
      expect(Math.abs(b[k] - 100 * value)).toBeLessThan(2e-3);
    });
    expect(asymmetryOf(mirrorPairs(small)).rmsMm).toBeCloseTo(asymmetryOf(mirrorPairs(plain)).rmsMm, 2);
  });
});

describe('the step', () => {
  it('is for what it was asked', () => {
    const applies = (settings: object) =>
      mirrorStep.applies(stickFigure(), SHIPPED_TARGETS[0], v.parse(mirrorStep.settings, settings));
    expect([
      applies({}),
      applies({ names: ['frown'] }),
      applies({ names: 'base' }),
      applies({ flip: ['a_l'] }),
    ]).toEqual([false, true, true, true]);
  });
  it('says what has no side and what isn’t there, and does the rest', async () => {
    const { document } = sheetFigure({ smile_l: (x) => [0, x, 0], frown: (x) => [0, x, 0] }),
      settings = v.parse(mirrorStep.settings, { names: ['frown', 'brow'], flip: ['smile_l', 'frown'] }),
      { findings, measures } = await mirrorStep.run(document, settings, SHIPPED_TARGETS[0], testContext());
    expect(findings.map(({ code, where }) => [code, where])).toEqual([
      ['recipe.unknown-name', 'brow'],
      ['morphs.no-side', 'frown'],
    ]);
    expect(listMorphNames(document)).toEqual(['smile_l', 'frown', 'smile_r']);
    expect(measures.find(({ code }) => code === 'vertices-paired')?.source).toBe(100);
  });
});

describe('one side copied in some regions alone', () => {
  /** The stick figure with its left arm and its left leg two centimetres forward. */
  const crooked = () => {
    const document = stickFigure({ rings: 8 }),
      [{ prim }] = listParts(document),
      moved = places(prim).slice();
    for (let i = 0; i < moved.length; i += 3)
      if (moved[i] > 0.25 || (moved[i] > 0.03 && moved[i + 1] < 0.8)) moved[i + 2] += 0.02;
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(moved));
    return document;
  };
  const run = (document: Document, settings: Record<string, unknown>) =>
    mirrorStep.run(document, v.parse(mirrorStep.settings, settings), SHIPPED_TARGETS[0], testContext());
  it('takes as much of the whole as each place belongs to them: legs of the shape at rest, and nothing of the head', async () => {
    const [document, whole] = [crooked(), crooked()],
      share = regionShare(document, ['legs', 'feet']),
      before = places(listParts(document)[0].prim).slice();
    await run(whole, { names: 'base', from: 'right', joints: false });
    await run(document, { names: 'base', from: 'right', regions: ['legs', 'feet'], joints: false });
    const [then, now] = [whole, document].map((of) => places(listParts(of)[0].prim));
    let [changed, legs, head, wrong] = [0, 1, 0, 0];
    for (let v = 0; v < share.length; v++) {
      for (let k = v * 3; k < v * 3 + 3; k++) {
        const all = then[k] - before[k];
        changed = Math.max(changed, Math.abs(all * share[v]));
        wrong = Math.max(wrong, Math.abs(now[k] - before[k] - share[v] * all));
      }
      if (before[v * 3 + 1] > 0.2 && before[v * 3 + 1] < 0.6) legs = Math.min(legs, share[v]);
      if (before[v * 3 + 1] > 1.5) head = Math.max(head, share[v]);
    }
    expect(changed).toBeGreaterThan(0.015);
    expect(wrong).toBeLessThan(1e-6);
    expect(legs).toBeGreaterThan(0.8);
    expect(head).toBeLessThan(0.01);
  });
  it('does the same to a morph, and says which regions there are where one is not', async () => {
    const document = stickFigure({ rings: 8 }),
      [{ prim, mesh }] = listParts(document),
      delta = places(prim).slice();
    for (let i = 0; i < delta.length; i += 3) delta.set(delta[i] > 0.03 ? [0, 0, 0.01] : [0, 0, 0], i);
    prim.addTarget(
      document
        .createPrimitiveTarget('lean')
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(delta)),
    );
    mesh.setExtras({ targetNames: ['lift', 'lean'] });
    const share = regionShare(document, ['legs']);
    await run(document, { names: ['lean'], from: 'left', regions: ['legs'] });
    const moved = deltaOf(document, 'lean'),
      p = places(prim);
    let wrong = 0;
    for (let v = 0; v < share.length; v++)
      if (p[v * 3] < -0.06) wrong = Math.max(wrong, Math.abs(moved[v * 3 + 2] - 0.01 * share[v]));
    expect(wrong).toBeLessThan(1e-6);
    expect(() => v.parse(mirrorStep.settings, { regions: ['elbow'] })).toThrow('skull');
  });
});
