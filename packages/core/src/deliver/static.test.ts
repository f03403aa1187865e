import { NodeIO } from '@gltf-transform/core';
import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts, skeletonOf } from '../character/index.ts';
import { blockingChecks } from '../check/index.ts';
import { defaultRecipe, type Recipe } from '../recipe/index.ts';
import { armDirections, jointRoles, poseByTurns, roleIndex, turnsToward } from '../rig/index.ts';
import { parseTarget, SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { convert } from './index.ts';

const crowd = SHIPPED_TARGETS.find((target) => target.id === 'quayside-crowd') as Target;
const statue = (more: Partial<Target> = {}) =>
  parseTarget({
    ...crowd,
    id: 'statue',
    title: 'Statue',
    triangles: { max: 100_000 },
    joints: { keep: 'none' },
    ...more,
  });

/** The figure with a badge that hangs on its chest, a clip that waves and one that smiles. */
function dressed() {
  const document = stickFigure(),
    [part] = listParts(document);
  const badge = document
    .createMesh('badge')
    .addPrimitive(part.prim.clone().setAttribute('JOINTS_0', null).setAttribute('WEIGHTS_0', null));
  for (const prim of badge.listPrimitives()) for (const target of prim.listTargets()) prim.removeTarget(target);
  const chest = skeletonOf(document).joints.find((joint) => joint.getName() === 'chest');
  chest?.addChild(document.createNode('badge').setMesh(badge).setTranslation([0, 0.1, 0.2]).setScale([0.1, 0.1, 0.1]));
  const clip = (
    name: string,
    node: typeof chest,
    path: 'rotation' | 'weights',
    type: 'VEC4' | 'SCALAR',
    values: number[],
  ) => {
    const sampler = document
      .createAnimationSampler()
      .setInput(document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0, 1)))
      .setOutput(document.createAccessor().setType(type).setArray(Float32Array.from(values)));
    document
      .createAnimation(name)
      .addSampler(sampler)
      .addChannel(
        document
          .createAnimationChannel()
          .setTargetNode(node ?? null)
          .setTargetPath(path)
          .setSampler(sampler),
      );
  };
  clip('wave', chest, 'rotation', 'VEC4', [0, 0, 0, 1, 0, 0, 0.7071068, 0.7071068]);
  clip('lift', part.node, 'weights', 'SCALAR', [0, 1]);
  return document;
}

async function deliver(target: Target, document = dressed(), recipe: Recipe = defaultRecipe()) {
  const done = await convert({
    name: 'Stick',
    source: { document: async () => document },
    target,
    recipe,
    created: '2026-01-01',
    context: testContext(),
    eyes: look,
    samples: 1000,
  });
  const model = done.made?.find((file) => file.path === 'stick.glb');
  return { done, delivered: await new NodeIO().readBinary(model?.bytes as Uint8Array) };
}
/** Where a delivered mesh stands by the file's own numbers: without joints, nodes and arrays say all. */
function rawPositions(document: Awaited<ReturnType<typeof deliver>>['delivered'], name: string): Float32Array {
  const node = document
      .getRoot()
      .listNodes()
      .find((entry) => entry.getName() === name),
    prim = node?.getMesh()?.listPrimitives()[0],
    position = prim?.getAttribute('POSITION');
  if (!node || !position) throw new Error(`no “${name}” in the file`);
  const m = node.getWorldMatrix(),
    p = floatsOf(position),
    out = new Float32Array(p.length);
  for (let i = 0; i < p.length; i += 3)
    for (let r = 0; r < 3; r++) out[i + r] = m[r] * p[i] + m[4 + r] * p[i + 1] + m[8 + r] * p[i + 2] + m[12 + r];
  return out;
}
const apart = (a: Float32Array, b: Float32Array) => {
  expect(a.length).toBe(b.length);
  return a.reduce((most, x, i) => Math.max(most, Math.abs(x - b[i])), 0);
};

describe('a target that asks for a static figure', () => {
  it('gets the mesh as it stood, without joints, skins or what moved them; morphs and their clips stay', async () => {
    const source = dressed(),
      [body, badge] = listParts(source),
      { done, delivered } = await deliver(statue(), source),
      root = delivered.getRoot();
    expect(blockingChecks(done.report.checks).map((check) => check.message)).toEqual([]);
    expect([
      root.listSkins().length,
      root
        .listNodes()
        .map((node) => node.getName())
        .sort(),
    ]).toEqual([0, [badge.node.getName(), body.node.getName()].sort()]);
    expect(root.listAnimations().map((clip) => clip.getName())).toEqual(['lift']);
    expect(listParts(delivered)[0].prim.getAttribute('JOINTS_0')).toBeNull();
    expect(done.report.parity.shape.rest.rmsMm).toBeLessThan(0.01);
    expect(done.report.parity.shape.poses).toEqual([]);
    expect(done.report.parity.shape.morphs.map((row) => [row.name, row.rmsMm < 0.01])).toEqual([['lift', true]]);
    expect(done.steps.flatMap((step) => step.findings).map((finding) => finding.code)).toEqual(
      expect.arrayContaining(['skeleton.baked', 'skeleton.clips-gone']),
    );
    expect(
      done.report.checks
        .filter((check) => check.rule === 'joints.none' || check.rule === 'joints.present')
        .map((check) => [check.rule, check.ok]),
    ).toEqual([['joints.none', true]]);
  });
  it('stands in the pose the target asks for, every vertex where skinning the source puts it', async () => {
    const source = dressed(),
      deformer = createDeformer(source),
      skeleton = deformer.skeleton,
      turns = turnsToward(skeleton, roleIndex(jointRoles(source, skeleton)), armDirections(0));
    const upper = ['leftUpperArm', 'rightUpperArm'].map((name) =>
      skeleton.joints.findIndex((joint) => joint.getName() === name),
    );
    // Only the arms turn, whole; the rest of the chain goes along in poseByTurns.
    const posed = deformer.evaluate(
      new Float32Array(deformer.vertices * 3),
      {},
      poseByTurns(skeleton, new Map(upper.map((j) => [j, turns[j]]))),
    );
    const { done, delivered } = await deliver(statue({ restPose: 'arms-out' }), source);
    expect(blockingChecks(done.report.checks).map((check) => check.message)).toEqual([]);
    const [body] = listParts(source),
      raw = rawPositions(delivered, body.node.getName()),
      reach = (p: Float32Array) => Math.max(...p.filter((_, i) => i % 3 === 0));
    expect(reach(raw)).toBeGreaterThan(reach(floatsOf(body.prim.getAttribute('POSITION') as never)) + 0.05);
    expect(reach(raw)).toBeCloseTo(reach(posed), 2);
    expect(done.report.parity.shape.rest.rmsMm).toBeLessThan(0.05);
  });
  it('takes a figure that has no skeleton at all', async () => {
    const { delivered: bare } = await deliver(statue()),
      { done, delivered } = await deliver(statue(), bare as never);
    expect(blockingChecks(done.report.checks).map((check) => check.message)).toEqual([]);
    for (const { node } of listParts(bare))
      expect(apart(rawPositions(bare, node.getName()), rawPositions(delivered, node.getName()))).toBeLessThan(1e-6);
  });
  it('says so where the step that bakes is switched off', async () => {
    const recipe = defaultRecipe(),
      off = {
        ...recipe,
        steps: [
          ...recipe.steps.filter((step) => step.id !== 'skeleton.bake'),
          { id: 'skeleton.bake', enabled: false, settings: {} },
        ],
      };
    const { done } = await deliver(statue(), dressed(), off);
    expect(blockingChecks(done.report.checks).map((check) => check.rule)).toContain('joints.none');
  });
});
