import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, jointPosition, listParts, skeletonOf } from '../../character/index.ts';
import { measureStance, standAsFound } from '../../rig/index.ts';
import { testContext } from '../../testing/context.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { parseTarget, SHIPPED_TARGETS } from '../../targets/index.ts';
import { runRecipe } from '../../recipe/index.ts';
import { previewBody } from './preview-body.ts';
import { reachBody } from './reach-body.ts';

const standing = (
  morphs: Record<string, (x: number, y: number, z: number) => [number, number, number]> = {},
): Document => {
  const document = stickFigure({ rings: 4 });
  standAsFound(document);
  const [{ prim, mesh }] = listParts(document),
    rest = floatsOf(prim.getAttribute('POSITION') as never);
  for (const [name, move] of Object.entries(morphs)) {
    const delta = rest.slice();
    for (let i = 0; i < rest.length; i += 3) delta.set(move(rest[i], rest[i + 1], rest[i + 2]), i);
    prim.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(delta)),
    );
  }
  mesh.setExtras({ targetNames: ['lift', ...Object.keys(morphs)] });
  return document;
};
const shape = (document: Document, morphs: Record<string, number> = {}) => {
  const deformer = createDeformer(document);
  return deformer.evaluate(new Float32Array(deformer.vertices * 3), morphs);
};
const bone = (document: Document, from: string, to: string): number => {
  const skeleton = skeletonOf(document),
    [a, b] = [from, to].map((name) =>
      jointPosition(
        skeleton,
        skeleton.joints.findIndex((joint) => joint.getName() === name),
      ),
    );
  return Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
};
const tall = (_x: number, y: number): [number, number, number] => [0, 0.06 * y, 0];

describe('a height that is asked for', () => {
  it('is reached along the bones where no morph is there: limbs and trunk alike, hands, feet and head as they were', () => {
    for (const goal of [150, 205]) {
      const document = standing(),
        before = standing(),
        off0 = shape(before).map(
          (value, i) => value - floatsOf(listParts(before)[0].prim.getAttribute('POSITION') as never)[i],
        ),
        { height, scale, morphs } = reachBody(document, { heightCm: goal });
      expect(morphs).toEqual({});
      expect(height[1]).toBeCloseTo(goal, 1);
      expect(measureStance(document)).toMatchObject({ heightCm: height[1] });
      expect(Math.abs(measureStance(document).lowestCm)).toBeLessThan(0.05);
      for (const [a, b] of [
        ['leftUpperLeg', 'leftLowerLeg'],
        ['rightLowerLeg', 'rightFoot'],
        ['leftUpperArm', 'leftLowerArm'],
        ['rightLowerArm', 'rightHand'],
      ])
        expect(bone(document, a, b) / bone(before, a, b), `${a} ${b}`).toBeCloseTo(scale?.along ?? 0, 4);
      for (const [a, b] of [
        ['leftHand', 'leftIndexProximal'],
        ['rightMiddleProximal', 'rightMiddleDistal'],
        ['leftFoot', 'leftToes'],
        ['head', 'leftEye'],
      ])
        expect(bone(document, a, b), `${a} ${b}`).toBeCloseTo(bone(before, a, b), 6);
      // Binds follow the joints: the mesh stands to its places as it stood before, moved by where the figure was put.
      const off = (of: Document) => {
        const places = floatsOf(listParts(of)[0].prim.getAttribute('POSITION') as never);
        return shape(of).map((value, i) => value - places[i]);
      };
      off(document).forEach((value, i) => expect(Math.abs(value - off0[i])).toBeLessThan(1e-5));
    }
  });
  it('is reached by the own morph where that goes far enough; the morph still reaches what it reached', () => {
    const document = standing({ build_tall: tall }),
      before = standing({ build_tall: tall }),
      { height, morphs, scale } = reachBody(document, { heightCm: measureStance(before).heightCm * 1.03 });
    expect(scale).toBeNull();
    expect(Object.keys(morphs)).toEqual(['build_tall']);
    expect(morphs.build_tall).toBeCloseTo(0.5, 2);
    expect(height[1]).toBeCloseTo(height[0] * 1.03, 1);
    const [full, was] = [shape(document, { build_tall: 1 }), shape(before, { build_tall: 1 })];
    for (let i = 0; i < full.length; i++) expect(Math.abs(full[i] - was[i])).toBeLessThan(2e-6);
    expect(bone(document, 'leftUpperLeg', 'leftLowerLeg') / bone(before, 'leftUpperLeg', 'leftLowerLeg')).toBeCloseTo(
      1.03,
      2,
    );
  });
  it('goes on along the bones where the morph ends, and downward by it too', () => {
    const document = standing({ build_tall: tall }),
      { height, morphs, scale } = reachBody(document, { heightCm: 140 });
    expect(morphs.build_tall).toBe(-1.25);
    expect(scale?.along).toBeLessThan(0.95);
    expect(height[1]).toBeCloseTo(140, 1);
  });
  it('changes nothing where the figure stands so already', () => {
    const document = standing({ build_tall: tall }),
      before = shape(document),
      { morphs, scale, joints } = reachBody(document, { heightCm: measureStance(document).heightCm });
    expect([morphs, scale, joints]).toEqual([{}, null, []]);
    expect([...shape(document)]).toEqual([...before]);
  });
});

describe('a build that is asked for', () => {
  const girth = (document: Document) => {
    const p = shape(document);
    let most = 0;
    for (let i = 0; i < p.length; i += 3)
      if (p[i + 1] > 1.0 && p[i + 1] < 1.3 && Math.abs(p[i]) < 0.15) most = Math.max(most, Math.abs(p[i + 2]));
    return most;
  };
  it('is made of the own morph of that build, or of the other one the other way', () => {
    const heavy = (x: number, y: number, z: number): [number, number, number] =>
      y > 0.9 && y < 1.4 ? [x * 0.3, 0, z * 0.5] : [0, 0, 0];
    expect(reachBody(standing({ build_heavy: heavy }), { build: 0.4 }).morphs).toEqual({ build_heavy: 0.4 });
    expect(reachBody(standing({ build_heavy: heavy }), { build: -0.4 }).morphs).toEqual({ build_heavy: -0.4 });
    expect(
      reachBody(standing({ build_heavy: heavy, slim: (x, y, z) => heavy(-x, y, -z) }), { build: -0.4 }).morphs,
    ).toEqual({ slim: 0.4 });
  });
  it('is flesh around the bones where no morph makes it, and no height', () => {
    const document = standing(),
      before = standing(),
      { scale, height } = reachBody(document, { build: 1 });
    expect(scale?.flesh).toBeGreaterThan(1.05);
    expect(girth(document)).toBeGreaterThan(girth(before) * 1.05);
    expect(height[1]).toBeCloseTo(height[0], 1);
    expect(bone(document, 'head', 'leftEye')).toBeCloseTo(bone(before, 'head', 'leftEye'), 6);
  });
});

it('a target asks, a recipe may ask otherwise, and the step says how it was reached', async () => {
  const target = parseTarget({ ...SHIPPED_TARGETS[0], body: { heightCm: 182 } }),
    run = async (settings: Record<string, unknown>) => {
      const { steps, document } = await runRecipe(
          { document: async () => standing() },
          target,
          { schema: 1, steps: [{ id: 'morphs.body', enabled: true, settings }] },
          { context: testContext() },
        ),
        step = steps.find(({ id }) => id === 'morphs.body');
      return { step, heightCm: measureStance(await document()).heightCm };
    };
  const asked = await run({});
  expect(asked.heightCm).toBeCloseTo(182, 0);
  expect(asked.step?.findings[0].message).toMatch(/→ 182\.0 cm: bones 1\.\d{3} times as long/);
  expect((await run({ heightCm: 168 })).heightCm).toBeCloseTo(168, 0);
  const stretched = await run({ heightCm: 260 });
  expect(stretched.step?.findings.map(({ code }) => code)).toContain('morphs.body-implausible');
});

describe('a body that is only looked at', () => {
  it('stands where the run would put it, and the character stays as it is', () => {
    for (const wanted of [{ heightCm: 190 }, { heightCm: 160, build: 1 }]) {
      const document = standing({ tall }),
        before = shape(document),
        { offsets, heightCm } = previewBody(document, null, wanted),
        [{ id }] = listParts(document),
        moved = offsets.get(id) as Float32Array;
      expect(shape(document)).toEqual(before);
      const reached = standing({ tall });
      reachBody(reached, wanted);
      expect(heightCm).toBeCloseTo(measureStance(reached).heightCm, 3);
      const after = shape(reached);
      let off = 0;
      for (let i = 0; i < after.length; i++) off = Math.max(off, Math.abs(before[i] + moved[i] - after[i]));
      expect(off).toBeLessThan(1e-5);
    }
  });
  it('goes on from where the mesh was moved to', () => {
    const document = standing(),
      [{ id }] = listParts(document),
      // A fifth broader.
      broader = shape(document).map((x, i) => (i % 3 === 0 ? 0.2 * x : 0)),
      { offsets, heightCm } = previewBody(document, new Map([[id, broader]]), { heightCm: 180 }),
      alone = previewBody(document, null, { heightCm: 180 }).offsets.get(id) as Float32Array,
      both = offsets.get(id) as Float32Array;
    expect(heightCm).toBeCloseTo(180, 1);
    let wider = 0;
    for (let i = 0; i < both.length; i += 3) wider = Math.max(wider, Math.abs(both[i] - alone[i]));
    expect(wider).toBeGreaterThan(0.05);
  });
});
