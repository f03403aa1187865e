import {
  copyDocument,
  createDeformer,
  floatsOf,
  influencesOf,
  jointPosition,
  jointRoles,
  listParts,
  measureOf,
  type Part,
  poseSkeleton,
  RANGE_OF_MOTION,
  roleIndex,
  SHIPPED_TARGETS,
  wrapStep,
} from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

let source: Document, body: Document;
beforeAll(async () => {
  [source, body] = await Promise.all([
    makePerson('harbour-pilot', { size: 'small', encode: encodePixels, figure: 'Tessel' }),
    makePerson('rescue-swimmer', { size: 'small', encode: encodePixels, figure: 'Corvane' }),
  ]);
});

const isSkin = ({ kind }: Part) => kind === 'skin';
async function wrapped(other: Document, weights: 'nearer' | 'figure' | 'source') {
  const document = copyDocument(source),
    [target] = SHIPPED_TARGETS,
    { measures, findings } = await wrapStep.run(
      document,
      { body: 'it', detail: 'quick', morphs: 'source', weights, sides: 'own' },
      target,
      { ...context, character: async () => ({ document: other, name: 'the other' }) },
    );
  return {
    document,
    off: {
      carried: Number(measureOf(measures, 'bends-off-carried')?.result),
      own: Number(measureOf(measures, 'bends-off-own')?.result),
    },
    codes: findings.map(({ code }) => code),
  };
}
/** A figure whose forearms hang on the upper arms: its elbows don't bend. */
function stiff(): Document {
  const own = copyDocument(body);
  for (const { prim, node } of listParts(own).filter(isSkin)) {
    const joints = node.getSkin()?.listJoints() ?? [],
      roles = roleIndex(jointRoles(own, createDeformer(own, isSkin, false).skeleton)),
      skeleton = createDeformer(own, isSkin, false).skeleton,
      slotOf = (role: 'leftUpperArm' | 'leftLowerArm' | 'rightUpperArm' | 'rightLowerArm') =>
        joints.indexOf(skeleton.joints[roles.get(role) as number]),
      to = new Map([
        [slotOf('leftLowerArm'), slotOf('leftUpperArm')],
        [slotOf('rightLowerArm'), slotOf('rightUpperArm')],
      ]);
    const accessor = prim.getAttribute('JOINTS_0');
    accessor?.setArray(Uint16Array.from(floatsOf(accessor), (slot) => to.get(slot) ?? slot));
  }
  return own;
}
/** How far vertices of a forearm go when the elbow bends, in parts of how far from it they lie; the middle one of all. */
function bent(document: Document): number {
  const deformer = createDeformer(document, isSkin, false),
    { skeleton } = deformer,
    roles = roleIndex(jointRoles(document, skeleton)),
    pose = RANGE_OF_MOTION.find(({ name }) => name === 'elbows bent') as (typeof RANGE_OF_MOTION)[number],
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    posed = deformer.evaluate(new Float32Array(deformer.vertices * 3), {}, poseSkeleton(skeleton, roles, pose)),
    at = (role: 'leftLowerArm' | 'leftHand') => jointPosition(skeleton, roles.get(role) as number),
    [elbow, hand] = [at('leftLowerArm'), at('leftHand')],
    along = hand.map((x, k) => x - elbow[k]),
    length = Math.hypot(...along);
  const goes: number[] = [];
  for (let v = 0; v < rest.length; v += 3) {
    const by = along.map((_, k) => rest[v + k] - elbow[k]),
      share = by.reduce((s, x, k) => s + x * along[k], 0) / length ** 2;
    if (share < 0.25 || share > 0.9 || Math.hypot(...by) > length) continue;
    goes.push(Math.hypot(...[0, 1, 2].map((k) => posed[v + k] - rest[v + k])) / (share * length));
  }
  return goes.sort((a, b) => a - b)[goes.length >> 1];
}

describe('whose weights a skin on other polygons gets', () => {
  it('is the figure’s, where it bends about as the character did', async () => {
    const { document, off, codes } = await wrapped(body, 'nearer');
    expect(codes).not.toContain('fit.weights-carried');
    expect(off.own).toBeLessThan(3);
    expect(off.carried).toBeLessThan(off.own);
    for (const { prim } of listParts(document).filter(isSkin)) {
      const { weights, perVertex } = influencesOf(prim) as NonNullable<ReturnType<typeof influencesOf>>;
      for (let v = 0; v * perVertex < weights.length; v++)
        expect(weights.subarray(v * perVertex, (v + 1) * perVertex).reduce((a, b) => a + b)).toBeCloseTo(1, 4);
    }
  });
  it('is the character’s, where the figure’s bends wrong: its elbows bend as they did', async () => {
    const figure = stiff(),
      nearer = await wrapped(figure, 'nearer'),
      forced = await wrapped(figure, 'figure'),
      goes = bent(source);
    expect(nearer.codes).toContain('fit.weights-carried');
    expect(nearer.off.own).toBeGreaterThan(1.25 * nearer.off.carried);
    expect(Math.abs(bent(nearer.document) / goes - 1)).toBeLessThan(0.08);
    expect(forced.codes).not.toContain('fit.weights-carried');
    expect(bent(forced.document)).toBeLessThan(bent(nearer.document) * 0.98);
  });
  it('is the character’s where somebody says so', async () => {
    const { document, codes } = await wrapped(body, 'source');
    expect(codes).not.toContain('fit.weights-carried');
    expect(Math.abs(bent(document) / bent(source) - 1)).toBeLessThan(0.08);
  });
});
