import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  floatsOf,
  influencesOf,
  type Influences,
  listParts,
  skeletonOf,
  weightSumError,
  writeInfluences,
} from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { addPart } from '../testing/add-part.ts';
import { testContext } from '../testing/context.ts';
import { mendWeightsStep, mirrorWeights, smoothWeights, weightFaults } from './index.ts';

const influencesIn = (document: Document) => influencesOf(listParts(document)[0].prim) as Influences;
const points = (document: Document) => floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never);
const slot = (document: Document, name: string) =>
  document
    .getRoot()
    .listSkins()[0]
    .listJoints()
    .findIndex((joint) => joint.getName() === name);
const write = (document: Document, influences: Influences) =>
  writeInfluences(document, listParts(document)[0].prim, influences);
/** Vertices that a joint moves most. */
const ruledBy = (document: Document, name: string) => {
  const { joints, weights, perVertex } = influencesIn(document),
    j = slot(document, name);
  return Array.from({ length: joints.length / perVertex }, (_, v) => v).filter((v) => {
    let own = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) if (joints[k] === j) own += weights[k];
    return own > 0.7;
  });
};

describe('weightFaults', () => {
  it('finds nothing in a sound figure, and mending changes nothing', () => {
    const document = stickFigure(),
      before = [...influencesIn(document).weights];
    expect(weightFaults(document, true)).toEqual({ unweighted: 0, otherSide: 0, stray: 0, sums: 0 });
    expect([...influencesIn(document).weights]).toEqual(before);
  });
  it('fills holes from their rim', () => {
    const document = stickFigure({ rings: 10 }),
      influences = influencesIn(document),
      hole = ruledBy(document, 'leftUpperLeg').slice(9, 40);
    for (const v of hole) influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    write(document, influences);
    expect(weightFaults(document, true).unweighted).toBe(hole.length);
    expect(weightFaults(document).unweighted).toBe(0);
    expect(weightSumError(listParts(document)[0].prim)).toBeLessThan(1e-6);
    const after = influencesIn(document),
      legs = new Set(['hips', 'leftUpperLeg', 'leftLowerLeg'].map((name) => slot(document, name)));
    for (const v of hole)
      for (let k = v * after.perVertex; k < (v + 1) * after.perVertex; k++)
        if (after.weights[k] > 0.05) expect(legs.has(after.joints[k])).toBe(true);
  });
  it('gives a piece without any weight those of the nearest surface', () => {
    const document = stickFigure(),
      influences = influencesIn(document),
      hand = new Set(ruledBy(document, 'head'));
    for (const v of hand) influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    write(document, influences);
    expect(weightFaults(document, true).unweighted).toBe(hand.size);
    expect(weightFaults(document).unweighted).toBe(0);
  });
  it('gives each corner of a loose piece the weights of what is nearest to it', () => {
    const document = stickFigure(),
      own = points(document),
      beside = ['head', 'leftLowerArm', 'rightLowerLeg'].map((name) => ruledBy(document, name)[0]),
      piece = addPart(document, 'Badge', 'Badge', {
        positions: beside.flatMap((v) => [...own.subarray(v * 3, v * 3 + 3)]),
        indices: [0, 1, 2],
      });
    listParts(document)
      .find(({ prim }) => prim === piece)
      ?.node.setSkin(document.getRoot().listSkins()[0]);
    writeInfluences(document, piece, { perVertex: 4, joints: new Uint16Array(12), weights: new Float32Array(12) });
    expect(weightFaults(document, true).unweighted).toBe(3);
    expect(weightFaults(document).unweighted).toBe(0);
    const strongest = ({ joints, weights, perVertex }: Influences, v: number) => {
      const row = [...weights.subarray(v * perVertex, (v + 1) * perVertex)];
      return joints[v * perVertex + row.indexOf(Math.max(...row))];
    };
    const given = influencesOf(piece) as Influences;
    expect([0, 1, 2].map((v) => strongest(given, v))).toEqual(beside.map((v) => strongest(influencesIn(document), v)));
  });
  it('finds limbs of the other side and far joints that stand alone', () => {
    const document = stickFigure(),
      influences = influencesIn(document),
      left = ruledBy(document, 'leftLowerLeg'),
      across = left.slice(0, 5),
      [alone] = ruledBy(document, 'head');
    for (const v of across) {
      influences.joints[v * influences.perVertex + 2] = slot(document, 'rightLowerLeg');
      influences.weights[v * influences.perVertex + 2] = 0.3;
    }
    influences.joints[alone * influences.perVertex + 2] = slot(document, 'leftToes');
    influences.weights[alone * influences.perVertex + 2] = 0.4;
    write(document, influences);
    const found = weightFaults(document);
    expect(found.otherSide).toBe(5);
    expect(found.stray + found.otherSide).toBeGreaterThanOrEqual(6);
    weightFaults(document, true);
    expect(weightFaults(document)).toEqual({ unweighted: 0, otherSide: 0, stray: 0, sums: 0 });
    expect(weightSumError(listParts(document)[0].prim)).toBeLessThan(1e-6);
  });
  it('brings sums to one', () => {
    const document = stickFigure(),
      influences = influencesIn(document);
    for (let k = 0; k < influences.perVertex * 10; k++) influences.weights[k] *= 0.5;
    write(document, influences);
    expect(weightFaults(document, true).sums).toBe(10);
    expect(weightSumError(listParts(document)[0].prim)).toBeLessThan(1e-6);
  });
});

describe('mirrorWeights and smoothWeights', () => {
  it('lays one side on the other: mirrored places follow mirrored joints by as much', () => {
    const document = stickFigure({ rings: 10 }),
      influences = influencesIn(document);
    for (const v of ruledBy(document, 'rightLowerArm')) {
      influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
      influences.joints[v * influences.perVertex] = slot(document, 'rightHand');
      influences.weights[v * influences.perVertex] = 1;
    }
    write(document, influences);
    expect(ruledBy(document, 'rightLowerArm').length).toBe(0);
    expect(mirrorWeights(document, 'left').changed).toBeGreaterThan(100);
    expect(Math.abs(ruledBy(document, 'rightLowerArm').length - ruledBy(document, 'leftLowerArm').length)).toBeLessThan(
      ruledBy(document, 'leftLowerArm').length * 0.2,
    );
    expect(weightSumError(listParts(document)[0].prim)).toBeLessThan(1e-6);
    expect(skeletonOf(document).joints.length).toBe(55);
  });
  it('smooths: neighbours differ less, sums stay', () => {
    const document = stickFigure({ rings: 10 }),
      j = slot(document, 'leftLowerLeg'),
      rough = () => {
        const { joints, weights, perVertex } = influencesIn(document),
          p = points(document),
          own = (v: number) => {
            let sum = 0;
            for (let k = v * perVertex; k < (v + 1) * perVertex; k++) if (joints[k] === j) sum += weights[k];
            return sum;
          };
        let most = 0;
        const indices = listParts(document)[0].prim.getIndices()?.getArray() ?? [];
        for (let t = 0; t < indices.length; t += 3)
          if (p.length) most = Math.max(most, Math.abs(own(indices[t]) - own(indices[t + 2])));
        return most;
      };
    const influences = influencesIn(document);
    for (const v of ruledBy(document, 'leftLowerLeg').slice(0, 30))
      if (v % 2) {
        influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
        influences.joints[v * influences.perVertex] = slot(document, 'leftUpperLeg');
        influences.weights[v * influences.perVertex] = 1;
      }
    write(document, influences);
    const before = rough();
    smoothWeights(document, 4);
    expect(rough()).toBeLessThan(before * 0.7);
    expect(weightSumError(listParts(document)[0].prim)).toBeLessThan(1e-6);
  });
});

describe('weights.mend', () => {
  it('tells of strays, how many, and that they are gone', async () => {
    const document = stickFigure(),
      influences = influencesIn(document),
      { joints, weights, perVertex } = influences,
      skeleton = skeletonOf(document),
      foot = listParts(document)[0]
        .node.getSkin()
        ?.listJoints()
        .findIndex((joint) => joint.getName() === 'rightToes') as number;
    expect(skeleton.joints.length).toBeGreaterThan(20);
    // A vertex of the head that follows a toe a little.
    const last = weights.length / perVertex - 1;
    joints[last * perVertex + perVertex - 1] = foot;
    weights[last * perVertex + perVertex - 1] = 0.2;
    weights[last * perVertex] -= 0.2;
    write(document, influences);
    const { stray } = weightFaults(document),
      { findings, measures } = await mendWeightsStep.run(
        document,
        { mend: true, mirror: 'none', smooth: 0 },
        SHIPPED_TARGETS[0],
        testContext(),
      );
    expect(stray).toBeGreaterThan(0);
    expect(findings.find((finding) => finding.code === 'weights.stray')).toMatchObject({
      severity: 'info',
      measured: stray,
    });
    expect(measures.find(({ code }) => code === 'stray-weights')).toMatchObject({ source: stray, result: 0 });
  });
  it('tells what it found and what is left; told to leave, it warns', async () => {
    const document = stickFigure(),
      influences = influencesIn(document);
    influences.weights.fill(0, 0, influences.perVertex * 3);
    write(document, influences);
    const left = await mendWeightsStep.run(
      document,
      { mend: false, mirror: 'none', smooth: 0 },
      SHIPPED_TARGETS[0],
      testContext(),
    );
    expect(left.findings[0]).toMatchObject({ code: 'weights.unweighted', severity: 'warning', measured: 3 });
    const done = await mendWeightsStep.run(
      document,
      { mend: true, mirror: 'none', smooth: 1 },
      SHIPPED_TARGETS[0],
      testContext(),
    );
    expect(done.measures[0]).toMatchObject({ source: 3, result: 0 });
  });
});
