import { describe, expect, it } from 'vitest';
import type { Document } from '@gltf-transform/core';
import { influencesOf, listParts, skeletonOf, type Influences } from '../character/index.ts';
import { standUp } from '../rig/index.ts';
import { summarise } from '../inspect/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { parseTarget, SHIPPED_TARGETS, type TargetInput } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { blockingChecks } from './judgement.ts';
import { checkCharacter } from './rules.ts';
import { verdictOf, verdictSentence } from './verdict.ts';

const loose = SHIPPED_TARGETS.find((target) => target.id === 'bridge-close-up') as (typeof SHIPPED_TARGETS)[number];
const judge = (document: Document, change: Partial<TargetInput> = {}, more = {}) =>
  checkCharacter({
    document,
    summary: summarise(document, 'x'),
    target: parseTarget({ ...loose, ...change }),
    ...more,
  });
const failing = (...args: Parameters<typeof judge>) =>
  judge(...args)
    .filter((check) => !check.ok)
    .map((check) => check.rule);

/** The stick figure with its soles on the floor. */
function sound(): Document {
  const document = stickFigure();
  standUp(document, { unitMetres: 1, upAxis: 'y', facing: '+z', floor: true });
  return document;
}

describe('checkCharacter', () => {
  it('finds nothing wrong with a sound figure and a wide target', () => {
    expect(failing(sound())).toEqual([]);
  });
  it.each<[string, Partial<TargetInput>]>([
    ['triangles.max', { triangles: { max: 10 } }],
    ['joints.max', { joints: { keep: 'all', max: 5 } }],
    ['influences.max', { influences: { max: 1 } }],
    ['stance.height', { heightCm: { min: 10, max: 20 } }],
  ])('says %s is broken by exactly the target that forbids it, and that it blocks', (rule, change) => {
    const checks = judge(sound(), change);
    expect(checks.filter((check) => !check.ok).map((check) => check.rule)).toEqual([rule]);
    expect(blockingChecks(checks)).toHaveLength(1);
    expect(blockingChecks(checks)[0].message).toMatch(/the target allows/);
    expect(blockingChecks(checks)[0].station).toBeTruthy();
  });
  it('says with which step a place came that looks too different', async () => {
    const document = sound(),
      parity = await compareCharacters(document, document, { samples: 50 }),
      region = {
        pixels: 900,
        mm2: 400,
        deltaE: 30,
        weight: 9e5,
        at: [0, 1.6, 0.1] as [number, number, number],
        from: 'Hair',
        to: 'Hair',
        share: 1,
      },
      loss = { deltaE: { mean: 1, p99: 30 }, structure: 0.5, light: 'front' as const, regions: [] },
      view = { name: 'head, left', middle: [0, 1.6, 0] as [number, number, number], heightM: 0.3, yaw: 40, pitch: 3 },
      told = (came?: { step: string; title: string }) =>
        judge(
          document,
          {},
          {
            parity: {
              ...parity,
              appearance: {
                ...parity.appearance,
                views: [{ view, converted: { ...loss, regions: [{ ...region, came }] }, drawn: loss, coverage: [] }],
              },
            },
          },
        ).find(({ rule }) => rule === 'appearance.changed')?.message;
    expect(told({ step: 'reduce.simplify', title: 'Triangles to budget' })).toMatch(
      /the target allows \d+\. It came with “Triangles to budget”\.$/,
    );
    expect(told()).toMatch(/the target allows \d+\.$/);
  });
  it('sees parts that follow no joint, and takes what hangs on one for following it', () => {
    const document = sound(),
      badge = document
        .createNode('badge')
        .setMesh(
          document
            .createMesh()
            .addPrimitive(
              listParts(document)[0].prim.clone().setAttribute('JOINTS_0', null).setAttribute('WEIGHTS_0', null),
            ),
        );
    document.getRoot().listScenes()[0].addChild(badge);
    expect(failing(document)).toContain('joints.unbound');
    skeletonOf(document).joints[3].addChild(badge);
    expect(failing(document)).not.toContain('joints.unbound');
  });
  it('sees materials that were left white, and says where a limit of morphs is met', () => {
    const white = sound(),
      [material] = white.getRoot().listMaterials();
    material.setBaseColorFactor([1, 1, 1, 1]);
    expect(failing(white)).toEqual(['materials.white']);
    material.setBaseColorFactor([0.02, 0.02, 0.02, 1]);
    expect(failing(white)).toEqual([]);
    const over = judge(sound(), { morphs: { max: 0 } }).find((check) => check.rule === 'morphs.max');
    expect(over).toMatchObject({ ok: false, blocking: true, limit: 0 });
    expect(over?.message).toMatch(/allows 0\. Drop or fold some at Morphs/);
  });
  it('sees a figure that lies, is huge, or hangs in the air', () => {
    const lying = sound(),
      huge = sound(),
      hanging = sound();
    standUp(lying, { unitMetres: 1, upAxis: '-z', facing: '+z', floor: false });
    standUp(huge, { unitMetres: 100, upAxis: 'y', facing: '+z', floor: false });
    hanging.getRoot().listScenes()[0].listChildren()[0].setTranslation([0, 3, 0]);
    expect(failing(lying)).toContain('stance.upright');
    expect(failing(huge)).toContain('stance.upright');
    expect(failing(hanging)).toContain('stance.floor');
  });
  it('sees joints that are missing or named twice', () => {
    const bare = sound();
    for (const node of bare.getRoot().listNodes()) node.setSkin(null);
    for (const skin of bare.getRoot().listSkins()) skin.dispose();
    expect(failing(bare)).toEqual(['joints.present']);
    const twice = sound();
    skeletonOf(twice).joints[3].setName(skeletonOf(twice).joints[7].getName());
    expect(failing(twice)).toContain('joints.names');
  });
  it("sees weights that don't add up and values that are no numbers", () => {
    const heavy = sound();
    const weights = listParts(heavy)[0].prim.getAttribute('WEIGHTS_0');
    weights?.setArray(Float32Array.from(weights.getArray() as Float32Array, (w) => w * 1.01));
    expect(failing(heavy)).toEqual(['weights.sum']);
    expect((influencesOf(listParts(heavy)[0].prim) as Influences).perVertex).toBe(4);
    const broken = sound();
    const normal = listParts(broken)[0].prim.getAttribute('NORMAL');
    normal?.setArray(Float32Array.from(normal.getArray() as Float32Array, (x, i) => (i === 5 ? Number.NaN : x)));
    expect(failing(broken)).toEqual(['mesh.finite']);
  });
  it("measures against the source where there is one; a limit that isn't met blocks unless the target only notes it", async () => {
    const source = sound(),
      result = sound();
    result.getRoot().listScenes()[0].listChildren()[0].setTranslation([0, 0.99, 0]);
    const parity = await compareCharacters(source, result, { samples: 800 });
    const limits = { restRmsMm: 1, poseRmsMm: 1, poseMaxMm: 1 },
      checks = judge(result, { parity: limits }, { parity });
    expect(blockingChecks(checks).map((check) => check.rule)).toEqual([
      'parity.rest',
      'parity.pose',
      'parity.pose-max',
    ]);
    expect(verdictOf(checks)).toMatchObject({ state: 'blocks', blocking: 3, noted: 1 });
    const lenient = judge(result, { parity: { ...limits, noteOnly: ['rest', 'pose', 'pose-max'] } }, { parity });
    expect(lenient.filter((check) => !check.ok).map((check) => check.rule)).toEqual([
      'stance.floor',
      'parity.rest',
      'parity.pose',
      'parity.pose-max',
    ]);
    expect(verdictOf(lenient)).toMatchObject({ state: 'noted', blocking: 0, noted: 4 });
    expect(verdictSentence(verdictOf(lenient))).toMatch(/rules hold; 4 are noted\.$/);
    expect(lenient.find((check) => check.rule === 'parity.rest')?.message).toMatch(/; the target only notes it\.$/);
  });
  it('says nothing of a package that is not packed yet, and weighs one that is', () => {
    expect(judge(sound()).map((check) => check.rule)).not.toContain('package.size');
    expect(failing(sound(), { package: { format: 'glb', maxMB: 1 } }, { packageBytes: 3e6 })).toEqual(['package.size']);
  });
});
