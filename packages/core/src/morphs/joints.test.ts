import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  floatsOf,
  jointPosition,
  listParts,
  readDossier,
  skeletonOf,
  updateDossier,
} from '../character/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { jointShifts, learnJoints } from './joint-stencils.ts';
import { withJointsFollowing } from './refit-joints.ts';

type Affine = (x: number, y: number, z: number) => [number, number, number];
/** Taller, broader, sheared to the side. */
const AFFINE: Affine = (x, y, z) => [1.2 * x + 0.1 * y + 0.02, 1.1 * y - 0.05 * z, 0.9 * z + 0.03 * x];

const grow = (document: Document, by: Affine) => {
  for (const { prim } of listParts(document)) {
    const p = floatsOf(prim.getAttribute('POSITION') as never),
      out = new Float32Array(p.length);
    for (let i = 0; i < p.length; i += 3) out.set(by(p[i], p[i + 1], p[i + 2]), i);
    prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(out));
  }
};
const places = (document: Document) => {
  const skeleton = skeletonOf(document);
  return skeleton.joints.map((_, j) => jointPosition(skeleton, j));
};

describe('joints among the vertices around them', () => {
  it('are an affine combination of them: shares sum to one and give the joint', () => {
    const { deformer, rest, stencils } = learnJoints(stickFigure({ rings: 12, sides: 12 })),
      { start, vertex, share } = stencils;
    deformer.skeleton.joints.forEach((_, j) => {
      const sum = [0, 0, 0, 0];
      for (let i = start[j]; i < start[j + 1]; i++) {
        sum[3] += share[i];
        for (let k = 0; k < 3; k++) sum[k] += share[i] * rest[vertex[i] * 3 + k];
      }
      expect(start[j + 1]).toBeGreaterThan(start[j]);
      expect(sum[3]).toBeCloseTo(1, 12);
      // A joint at the end of a limb lies beside its vertices rather than among them.
      const at = jointPosition(deformer.skeleton, j);
      expect(Math.hypot(sum[0] - at[0], sum[1] - at[1], sum[2] - at[2])).toBeLessThan(2e-4);
    });
  });
  it('go where whatever stretches, turns or shears the flesh takes them', () => {
    const { deformer, rest, stencils } = learnJoints(stickFigure({ rings: 12, sides: 12 })),
      moved = new Float32Array(rest.length);
    for (let i = 0; i < rest.length; i += 3) {
      const to = AFFINE(rest[i], rest[i + 1], rest[i + 2]);
      for (let k = 0; k < 3; k++) moved[i + k] = to[k] - rest[i + k];
    }
    const shifts = jointShifts(stencils, deformer.skeleton, moved);
    deformer.skeleton.joints.forEach((_, j) => {
      const at = jointPosition(deformer.skeleton, j),
        to = AFFINE(...at);
      for (let k = 0; k < 3; k++) expect(Math.abs(shifts[j * 3 + k] - (to[k] - at[k]))).toBeLessThan(1e-4);
    });
  });
  it('ask only flesh near by that follows them: what moves the hands moves no hip', () => {
    const { deformer, rest, stencils } = learnJoints(stickFigure({ rings: 12, sides: 12 })),
      moved = new Float32Array(rest.length);
    for (let i = 0; i < rest.length; i += 3) if (Math.abs(rest[i]) > 0.5) moved[i + 1] = 0.1;
    const shifts = jointShifts(stencils, deformer.skeleton, moved),
      index = new Map(deformer.skeleton.joints.map((joint, j) => [joint.getName(), j]));
    for (const still of ['hips', 'head', 'leftUpperLeg', 'leftUpperArm'])
      expect(shifts[(index.get(still) as number) * 3 + 1], still).toBe(0);
    expect(shifts[(index.get('leftIndexDistal') as number) * 3 + 1]).toBeCloseTo(0.1, 6);
  });
});

describe('letting joints follow', () => {
  const taller: Affine = (x, y, z) => [x, 1.1 * y, z];
  it('moves them with the shape, leaves the mesh at rest where it is, and says how far they went', () => {
    const document = stickFigure({ rings: 12, sides: 12 }),
      before = places(document),
      told = withJointsFollowing(document, () => grow(document, taller)),
      now = places(document),
      after = createDeformer(document, () => true, false),
      shown = after.evaluate(new Float32Array(after.vertices * 3)),
      stored = floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never);
    now.forEach((at, j) => expect(Math.abs(at[1] - 1.1 * before[j][1])).toBeLessThan(1e-4));
    expect(Math.max(...shown.map((x, k) => Math.abs(x - stored[k])))).toBeLessThan(1e-6);
    expect(told).toHaveLength(before.length);
    expect(told[0].mm).toBeGreaterThanOrEqual(told[1].mm);
    expect(told[0].mm).toBeCloseTo(166, 0);
  });
  it('leaves them where they are where nothing around them moves, and a figure without any alone', () => {
    const document = stickFigure(),
      before = places(document);
    expect(withJointsFollowing(document, () => {})).toEqual([]);
    expect(places(document)).toEqual(before);
  });
  it('takes clips and the pose it came in along: a spline’s slopes stay slopes', () => {
    const document = stickFigure({ rings: 12, sides: 12 }),
      hips = skeletonOf(document).joints[0],
      accessor = (type: 'SCALAR' | 'VEC3', values: number[]) =>
        document.createAccessor().setType(type).setArray(Float32Array.from(values)),
      clip = document.createAnimation('walk'),
      add = (values: number[], interpolation: 'LINEAR' | 'CUBICSPLINE', path: 'translation' | 'scale') => {
        const sampler = document
          .createAnimationSampler()
          .setInput(accessor('SCALAR', [0]))
          .setOutput(accessor('VEC3', values))
          .setInterpolation(interpolation);
        clip
          .addSampler(sampler)
          .addChannel(document.createAnimationChannel().setTargetNode(hips).setTargetPath(path).setSampler(sampler));
      };
    add([0, 1, 0], 'LINEAR', 'translation');
    add([0.1, 0.2, 0.3, 0, 1, 0, 0.4, 0.5, 0.6], 'CUBICSPLINE', 'translation');
    add([1, 1, 1], 'LINEAR', 'scale');
    updateDossier(document, {
      homePose: { hips: { t: [0, 0.9, 0], r: [0, 0, 0, 1] }, gone: { t: [1, 2, 3], r: [0, 0, 0, 1] } },
    });
    withJointsFollowing(document, () => grow(document, taller));
    const outputs = clip
      .listChannels()
      .map((channel) =>
        [...(channel.getSampler()?.getOutput()?.getArray() ?? [])].map((x) => Math.round(x * 1e3) / 1e3 + 0),
      );
    expect(outputs).toEqual([
      [0, 1.096, 0],
      [0.1, 0.2, 0.3, 0, 1.096, 0, 0.4, 0.5, 0.6],
      [1, 1, 1],
    ]);
    const home = readDossier(document).homePose;
    expect(home?.hips.t[1]).toBeCloseTo(0.996, 4);
    expect(home?.gone.t).toEqual([1, 2, 3]);
  });
});
