import { lookAtMotion, type Placed } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { skeletonOf } from '../character/index.ts';
import { writeGlb } from '../formats/index.ts';
import { jointRoles, POSE_SECONDS, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import { clipsOut } from './clips-out.ts';

const names = (document: ReturnType<typeof figureWithAll>) =>
  document
    .getRoot()
    .listAnimations()
    .map((clip) => clip.getName());

describe('clips that go out', () => {
  it('are all where a target asks for all, none, or those that it names', () => {
    for (const [keep, left, codes] of [
      ['all', ['Nod', 'Wave'], []],
      ['none', [], ['package.clips-left-out']],
      [['nod'], ['Nod'], ['package.clips-left-out']],
      [['Wave', 'Run'], ['Wave'], ['package.clips-left-out', 'package.clips-missing']],
    ] as const) {
      const document = figureWithAll();
      document.createAnimation('Wave');
      const findings = clipsOut(document, {
        keep: typeof keep === 'string' ? keep : [...keep],
        rest: false,
        rangeOfMotion: false,
      });
      expect(names(document)).toEqual(left);
      expect(findings.map(({ code }) => code)).toEqual(codes);
    }
  });
  it('have names of their own beside those that are there', () => {
    const document = figureWithAll();
    document.createAnimation('Rest pose');
    clipsOut(document, { keep: 'all', rest: true, rangeOfMotion: true });
    expect(names(document)).toEqual(['Nod', 'Rest pose', 'Rest pose 2', 'Range of motion']);
  });
  it('take every pose of the range of motion, played by another program, and stand at rest in the rest pose', async () => {
    const document = figureWithAll(),
      skeleton = skeletonOf(document),
      roles = roleIndex(jointRoles(document, skeleton)),
      places = (global: ArrayLike<number>) =>
        skeleton.joints.map(
          (joint, j): Placed => ({
            name: joint.getName(),
            at: [global[j * 16 + 12], global[j * 16 + 13], global[j * 16 + 14]],
          }),
        ),
      rest = places(skeleton.global.slice());
    clipsOut(document, { keep: 'none', rest: true, rangeOfMotion: true });
    const bytes = await writeGlb(document),
      apart = (a: readonly Placed[], b: readonly Placed[]) =>
        Math.max(
          ...a.map(({ name, at }) =>
            Math.hypot(...at.map((x, k) => x - (b.find((one) => one.name === name)?.at[k] ?? NaN))),
          ),
        );
    const poses = RANGE_OF_MOTION.map((pose) => places(poseSkeleton(skeleton, roles, pose)));
    expect(poses.filter((pose) => apart(pose, rest) > 0.01).length).toBeGreaterThan(10);
    const range = await lookAtMotion(bytes, 'Range of motion');
    for (const [i, pose] of poses.entries()) {
      expect(apart(pose, range((i + 0.5) * POSE_SECONDS))).toBeLessThan(1e-5);
      expect(apart(rest, range(i * POSE_SECONDS))).toBeLessThan(1e-5);
    }
    // Between keys it goes as smoothly as it is meant to.
    const quarter = places(poseSkeleton(skeleton, roles, RANGE_OF_MOTION[0], Math.sin(0.2 * Math.PI) ** 2));
    expect(apart(quarter, range(0.2 * POSE_SECONDS))).toBeLessThan(0.02);
    expect(apart(rest, (await lookAtMotion(bytes, 'Rest pose'))(0))).toBeLessThan(1e-6);
  });
  it('are none for a figure without a skeleton', () => {
    const document = figureWithAll();
    for (const skin of document.getRoot().listSkins()) skin.dispose();
    for (const node of document.getRoot().listNodes()) if (!node.getMesh()) node.dispose();
    clipsOut(document, { keep: 'all', rest: true, rangeOfMotion: true });
    expect(names(document)).not.toContain('Rest pose');
  });
});
