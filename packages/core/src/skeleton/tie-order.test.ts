import { describe, expect, it } from 'vitest';
import { skeletonOf } from '../character/index.ts';
import { SHIPPED_FIGURES, SHIPPED_TARGETS, withFigure } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { jointRoles } from '../rig/index.ts';
import { skeletonStep, tiesTurnedOver } from './index.ts';

const target = (id: string) =>
  withFigure(SHIPPED_TARGETS.find((entry) => entry.id === id) as (typeof SHIPPED_TARGETS)[number], SHIPPED_FIGURES);
const joints = () => {
  const document = stickFigure(),
    skeleton = skeletonOf(document),
    roles = jointRoles(document, skeleton);
  return skeleton.joints.map((joint, i) => ({
    name: joint.getName(),
    parent: skeleton.parent[i] < 0 ? null : skeleton.joints[skeleton.parent[i]].getName(),
    role: roles[i].role,
  }));
};
const run = (ties: Record<string, string>, id: string) =>
  skeletonStep.run(stickFigure(), { ties, ends: true, spread: false }, target(id), testContext());

describe('ties that turn ancestry over', () => {
  it.each<[string, string, Record<string, string>]>([
    ['spine to head, chest to left hand', 'bridge-close-up', { spine: 'head', chest: 'leftHand' }],
    ['a child to its own parent', 'bridge-close-up', { leftLowerArm: 'leftUpperArm', leftUpperArm: 'leftLowerArm' }],
    ['the hips to a hand', 'headset-deck', { hips: 'leftHand' }],
    [
      'on a figure',
      'tessel-figure',
      Object.fromEntries(
        [
          ['spine', 'head'],
          ['head', 'spine'],
        ].map(([joint, role]) => [
          joint,
          target('tessel-figure').joints.figure && typeof target('tessel-figure').joints.figure === 'object'
            ? ((target('tessel-figure').joints.figure as { joints: { role: string; name: string }[] }).joints.find(
                (entry) => entry.role === role,
              )?.name as string)
            : '',
        ]),
      ),
    ],
  ])('are found, and the step refuses them with a sentence: %s', async (_, id, ties) => {
    const found = tiesTurnedOver(joints(), ties, target(id));
    expect(found.length).toBeGreaterThan(0);
    expect(found[0].message).toMatch(/which hangs below it.*other way round/);
    await expect(run(ties, id)).rejects.toMatchObject({ code: 'skeleton.tie-order' });
  });
  it('leave honest ties alone: another joint for a role, one let go, one renamed', async () => {
    for (const ties of [
      {},
      { chest: 'upperChest', upperChest: 'chest_top' },
      { leftToes: '' },
      { upperChest: '' },
      { leftHand: 'my_hand' },
    ] as Record<string, string>[]) {
      expect(tiesTurnedOver(joints(), ties, target('bridge-close-up'))).toEqual([]);
      expect((await run(ties, 'bridge-close-up')).measures[0].source).toBe(55);
    }
  });
});
