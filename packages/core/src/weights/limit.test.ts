import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { bendVertex, influencesOf, listParts, type Influences } from '../character/index.ts';
import { compose, quatFromAxis } from '../geometry/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { bendingCost, type Bending } from './bending.ts';
import { limitInfluences } from './limit.ts';
import { weightsStep } from './limit-step.ts';
import { refitWeights } from './refit.ts';
import { weightSumError, writeInfluences } from '../character/write-influences.ts';

/** Random rigid motions of `joints` joints in `count` poses. */
function poses(joints: number, count: number, seed: number): Float64Array[] {
  let state = seed;
  const random = () => {
    state = (Math.imul(state, 1_103_515_245) + 12_345) >>> 0;
    return state / 2 ** 32;
  };
  return Array.from({ length: count }, () => {
    const out = new Float64Array(joints * 16);
    for (let j = 0; j < joints; j++)
      compose(
        out,
        j * 16,
        [random() - 0.5, random() - 0.5, random() - 0.5],
        quatFromAxis([random(), random(), random() + 0.1], random() * 2),
        [1, 1, 1],
      );
    return out;
  });
}
const one = (weights: number[]): Influences => ({
  perVertex: weights.length,
  joints: Uint16Array.from(weights.keys()),
  weights: Float32Array.from(weights),
});

describe('bendVertex', () => {
  it('follows one joint exactly, and stays where there is no weight', () => {
    const matrices = new Float64Array(16);
    compose(matrices, 0, [1, 2, 3], quatFromAxis([0, 0, 1], Math.PI / 2), [1, 1, 1]);
    const out = new Float64Array(3);
    bendVertex(out, matrices, one([1]), 0, Float32Array.of(1, 0, 0));
    expect([...out].map((x) => Math.round(x * 1e9) / 1e9)).toEqual([1, 3, 3]);
    bendVertex(out, matrices, one([0]), 0, Float32Array.of(1, 0, 0));
    expect([...out]).toEqual([1, 0, 0]);
  });
});

describe('bendingCost', () => {
  it('is nothing between equals, and the distance where one joint takes over from another', () => {
    const still = new Float64Array(32),
      moved = new Float64Array(32);
    for (const m of [still, moved]) for (const o of [0, 16]) compose(m, o, [0, 0, 0], [0, 0, 0, 1], [1, 1, 1]);
    moved[16 + 12] = 0.01;
    const bending: Bending = {
      positions: Float32Array.of(0, 0, 0),
      vertices: Uint32Array.of(0),
      poses: [still, moved],
    };
    expect(bendingCost(bending, one([0.5, 0.5]), one([0.5, 0.5]))).toMatchObject({
      worstMm: 0,
      worstPose: -1,
      squares: 0,
    });
    const cost = bendingCost(bending, one([0.5, 0.5]), one([0, 1]));
    expect(cost.worstMm).toBeCloseTo(5, 9);
    expect(cost.worstPose).toBe(1);
    expect(cost.squares).toBeCloseTo(25, 9);
  });
});

describe('refitWeights', () => {
  it('finds the weights that were there when nothing that matters was dropped', () => {
    // joint 2 moves exactly as joint 1: dropping it costs nothing once joint 1 takes its weight
    const matrices = poses(3, 6, 5);
    for (const m of matrices) m.copyWithin(32, 16, 32);
    const bending: Bending = {
      positions: Float32Array.of(0.3, 0.2, 0.1),
      vertices: Uint32Array.of(0),
      poses: matrices,
    };
    const before = one([0.4, 0.35, 0.25]),
      after = one([0.53, 0.47, 0]);
    expect(bendingCost(bending, before, after).worstMm).toBeGreaterThan(1);
    expect(refitWeights(bending, before, after)).toBe(1);
    expect(after.weights[0]).toBeCloseTo(0.4, 3);
    expect(after.weights[1]).toBeCloseTo(0.6, 3);
    expect(bendingCost(bending, before, after).worstMm).toBeLessThan(0.5);
  });
  it('never makes it worse, never goes negative, and keeps the sum, whatever the weights', () => {
    fc.assert(
      fc.property(
        fc.array(fc.integer({ min: 1, max: 100 }), { minLength: 3, maxLength: 8 }),
        fc.integer({ min: 1, max: 4 }),
        fc.integer({ min: 1, max: 1e6 }),
        (raw, most, seed) => {
          const sum = raw.reduce((a, b) => a + b, 0);
          const before = one(raw.map((w) => w / sum));
          const { influences: after } = limitInfluences(before, most);
          const bending: Bending = {
            positions: Float32Array.of(0.3, 0.2, 0.1),
            vertices: Uint32Array.of(0),
            poses: poses(raw.length, 5, seed),
          };
          const dropped = bendingCost(bending, before, after).squares;
          refitWeights(bending, before, after);
          expect(bendingCost(bending, before, after).squares).toBeLessThanOrEqual(dropped * (1 + 1e-4) + 1e-6);
          for (const w of after.weights) expect(w).toBeGreaterThanOrEqual(0);
          expect(after.weights.reduce((a, b) => a + b, 0)).toBeCloseTo(1, 5);
        },
      ),
      { seed: 3, numRuns: 150 },
    );
  });
  it('leaves a vertex with one joint alone', () => {
    const after = one([1]);
    expect(
      refitWeights(
        { positions: new Float32Array(3), vertices: Uint32Array.of(0), poses: poses(1, 2, 1) },
        one([1]),
        after,
      ),
    ).toBe(0);
  });
});

describe('weights.limit', () => {
  /** The stick figure with every vertex smeared over six joints. */
  function smeared() {
    const document = stickFigure();
    const [part] = listParts(document);
    const source = influencesOf(part.prim) as Influences;
    const vertices = source.joints.length / source.perVertex;
    const wide: Influences = {
      perVertex: 8,
      joints: new Uint16Array(vertices * 8),
      weights: new Float32Array(vertices * 8),
    };
    for (let v = 0; v < vertices; v++)
      for (let k = 0; k < 6; k++) {
        wide.joints[v * 8 + k] = (source.joints[v * source.perVertex] + k) % 20;
        wide.weights[v * 8 + k] = [0.4, 0.2, 0.15, 0.1, 0.08, 0.07][k];
      }
    writeInfluences(document, part.prim, wide);
    return document;
  }
  it('leaves alone what follows no joint, and counts what is shown twice once', async () => {
    const target = SHIPPED_TARGETS.find((entry) => entry.id === 'headset-deck') as (typeof SHIPPED_TARGETS)[number],
      once = await weightsStep.run(smeared(), { repair: false }, target, testContext()),
      document = smeared(),
      [part] = listParts(document),
      [scene] = document.getRoot().listScenes(),
      still = document.createPrimitive().setAttribute('POSITION', part.prim.getAttribute('POSITION'));
    scene.addChild(document.createNode('Twin').setMesh(part.node.getMesh()).setSkin(part.node.getSkin()));
    scene.addChild(document.createNode('Buoy').setMesh(document.createMesh('Buoy').addPrimitive(still)));
    const twice = await weightsStep.run(document, { repair: false }, target, testContext());
    expect(twice.measures).toEqual(once.measures);
  });
  it('keeps to the number, keeps the sum, says what it cost, and costs less when it fits', async () => {
    const target = SHIPPED_TARGETS.find((entry) => entry.id === 'headset-deck') as (typeof SHIPPED_TARGETS)[number];
    const cost: number[] = [];
    for (const repair of [false, true]) {
      const document = smeared();
      const { measures, findings } = await weightsStep.run(document, { repair }, target, testContext());
      const [part] = listParts(document);
      expect((influencesOf(part.prim) as Influences).perVertex).toBe(4);
      expect(weightSumError(part.prim)).toBeLessThan(1e-6);
      expect(findings[0]).toMatchObject({ code: 'weights.limited' });
      const worst = measures.find((measure) => measure.name === 'largest shift in poses')?.result as number;
      expect(worst).toBeGreaterThan(
        measures.find((measure) => measure.name === 'RMS shift in poses')?.result as number,
      );
      cost.push(measures.find((measure) => measure.name === 'RMS shift in poses')?.result as number);
    }
    expect(cost[1]).toBeGreaterThan(0);
    expect(cost[1]).toBeLessThan(cost[0] * 0.9);
  });
});
