import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, inverseBindsOf, listParts, skeletonOf, takeHome } from '../character/index.ts';
import { copyDocument } from '../formats/index.ts';
import { multiply, quatConjugate, quatFromAxis, type Quat } from '../geometry/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { armDirections, armsDown, jointRoles, poseByTurns, roleIndex, turnsToward } from '../skeleton/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { bakeMotion, changeRest, restErrors, restStep, returnsHome } from './index.ts';

const rest = (document: Document, morphs: Record<string, number> = {}) => { const d = createDeformer(document); return d.evaluate(new Float32Array(d.vertices * 3), morphs); };
const apart = (a: Float32Array, b: Float32Array) => a.reduce((most, x, i) => Math.max(most, Math.abs(x - b[i])), 0);
const rolesOf = (document: Document) => roleIndex(jointRoles(document));
const armsOut = (document: Document): Quat[] => turnsToward(skeletonOf(document), rolesOf(document), armDirections(0));

describe('changeRest', () => {
  it.each(['exact', 'forward'] as const)('brings the arms straight out, %s: binds are the inverse of the joints, normals stay unit length', (method) => {
    const document = stickFigure();
    changeRest(document, armsOut(document), method);
    expect(armsDown(skeletonOf(document), rolesOf(document))).toBeCloseTo(0, 4);
    const skeleton = skeletonOf(document), skin = document.getRoot().listSkins()[0], binds = inverseBindsOf(skin), m = new Float64Array(16);
    skin.listJoints().forEach((joint, i) => { multiply(m, 0, skeleton.global, (skeleton.index.get(joint) ?? 0) * 16, binds, i * 16); m.forEach((x, k) => expect(x).toBeCloseTo(k % 5 === 0 ? 1 : 0, 5)); });
    const normal = listParts(document)[0].prim.getAttribute('NORMAL');
    const values = normal ? floatsOf(normal) : [];
    for (let i = 0; i < values.length; i += 3) expect(Math.hypot(values[i], values[i + 1], values[i + 2])).toBeCloseTo(1, 5);
  });
  it('returns exactly: posed back into its old rest, the mesh and every morph are what they were, within 0.01 mm', () => {
    const document = stickFigure(), source = copyDocument(document);
    changeRest(document, armsOut(document), 'exact');
    expect(apart(rest(source), rest(document))).toBeGreaterThan(0.1);
    takeHome(document);
    expect(apart(rest(source), rest(document))).toBeLessThan(1e-5);
    expect(apart(rest(source, { lift: 1 }), rest(document, { lift: 1 }))).toBeLessThan(1e-5);
  });
  it('forward is what linear blend skinning makes of the pose', () => {
    const document = stickFigure(), source = copyDocument(document), skeleton = skeletonOf(source), turns = new Map([[skeleton.joints.findIndex((joint) => joint.getName() === 'leftUpperArm'), quatFromAxis([0, 0, 1], 0.7)]]);
    const whole = skeleton.joints.map((_, j): Quat => { for (let at = j; at >= 0; at = skeleton.parent[at]) { const turn = turns.get(at); if (turn) return turn; } return [0, 0, 0, 1]; });
    const d = createDeformer(source), posed = d.evaluate(new Float32Array(d.vertices * 3), {}, poseByTurns(skeleton, turns));
    changeRest(document, whole, 'forward');
    expect(apart(posed, rest(document))).toBeLessThan(1e-5);
  });
  it('forward after exact undoes it, and knows that it comes home', () => {
    const document = stickFigure(), source = copyDocument(document), there = armsOut(document);
    changeRest(document, there, 'exact');
    const back = there.map(quatConjugate);
    expect(returnsHome(document, there, skeletonOf(document))).toBe(false);
    expect(returnsHome(document, back, skeletonOf(document))).toBe(true);
    changeRest(document, back, 'forward');
    expect(apart(rest(source), rest(document))).toBeLessThan(1e-5);
  });
  it('keeps the lowest point on the floor when legs are turned', () => {
    const document = stickFigure(), skeleton = skeletonOf(document), low = () => rest(document).reduce((least, x, i) => (i % 3 === 1 ? Math.min(least, x) : least), Infinity), before = low();
    const turns = skeleton.joints.map((_, j): Quat => { for (let at = j; at >= 0; at = skeleton.parent[at]) { const name = skeleton.joints[at].getName(); if (name.endsWith('UpperLeg')) return quatFromAxis([0, 0, 1], name.startsWith('left') ? 0.4 : -0.4); } return [0, 0, 0, 1]; });
    changeRest(document, turns, 'exact');
    expect(low()).toBeCloseTo(before, 4);
  });
  it('a clip that leaves the arms alone still shows them as they were', () => {
    const document = stickFigure(), skeleton = skeletonOf(document), head = skeleton.joints.findIndex((joint) => joint.getName() === 'head');
    const sampler = document.createAnimationSampler().setInput(document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0, 1))).setOutput(document.createAccessor().setType('VEC4').setArray(Float32Array.of(0, 0, 0, 1, 0, 0.1, 0, 0.995)));
    document.createAnimation('nod').addSampler(sampler).addChannel(document.createAnimationChannel().setTargetNode(skeleton.joints[head]).setTargetPath('rotation').setSampler(sampler));
    const was = skeleton.joints.map((joint) => joint.getRotation());
    changeRest(document, armsOut(document), 'exact');
    const held = document.getRoot().listAnimations()[0].listChannels().filter((channel) => channel.getTargetPath() === 'rotation');
    const arm = held.find((channel) => channel.getTargetNode()?.getName() === 'leftUpperArm');
    expect(arm?.getSampler()?.getOutput()?.getElement(0, [])).toEqual(was[skeleton.joints.findIndex((joint) => joint.getName() === 'leftUpperArm')].map((x) => expect.closeTo(x, 6)));
  });
});

describe('bakeMotion', () => {
  it('with no motion changes no place', () => {
    const document = stickFigure(), before = rest(document), still = new Float64Array(skeletonOf(document).joints.length * 16).map((_, i) => ((i & 15) % 5 === 0 ? 1 : 0));
    expect(bakeMotion(document, still, 'exact').stretch).toBeCloseTo(1, 6);
    expect(apart(before, rest(document))).toBeLessThan(1e-6);
  });
  it('leaves a vertex where it is where the blend folds flat', () => {
    const document = stickFigure(), skeleton = skeletonOf(document), turns = skeleton.joints.map((joint): Quat => (joint.getName() === 'leftLowerArm' ? quatFromAxis([0, 0, 1], Math.PI) : [0, 0, 0, 1]));
    changeRest(document, turns, 'exact');
    expect(rest(document).every(Number.isFinite)).toBe(true);
  });
});

describe('rest.convert', () => {
  const target = parseTarget({ ...SHIPPED_TARGETS[0], restPose: 'arms-out' });
  const settings = { pose: undefined, method: 'better' as const };
  it('converts to what the target wants, tells what it cost, and does nothing where the pose is right already', async () => {
    const document = stickFigure(), first = await restStep.run(document, settings, target, testContext());
    expect(first.measures.find((measure) => measure.name === 'arms below straight out')).toMatchObject({ source: 45, result: 0 });
    expect(first.measures.find((measure) => measure.name === 'off in the range of motion')?.result).toBeLessThan(12);
    const before = rest(document), again = await restStep.run(document, settings, target, testContext());
    expect(again.measures.find((measure) => measure.name === 'largest turn')?.result).toBe(0);
    expect(apart(before, rest(document))).toBe(0);
  });
  it('is compared in the pose the source came in: at rest nothing differs', async () => {
    const document = stickFigure(), source = copyDocument(document);
    await restStep.run(document, { ...settings, method: 'exact' }, target, testContext());
    takeHome(document);
    const parity = await compareCharacters(source, document, { samples: 2000 });
    expect(parity.shape.rest.maxMm).toBeLessThan(0.01);
  });
  it('says that a pose of a figure needs a figure', async () => {
    expect((await restStep.run(stickFigure(), { ...settings, pose: 'figure' }, target, testContext())).findings[0].code).toBe('rest.no-figure');
  });
  it('takes the method that moves more like the source', () => {
    const document = stickFigure(), errors = restErrors(document, armsOut(document), skeletonOf(document), rolesOf(document));
    expect(errors.exact).toBeGreaterThan(0);
    expect(errors.forward).toBeGreaterThan(0);
    expect(restErrors(document, skeletonOf(document).joints.map((): Quat => [0, 0, 0, 1]), skeletonOf(document), rolesOf(document))).toEqual({ exact: expect.closeTo(0, 6), forward: expect.closeTo(0, 6) });
  });
});
