import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { inverseBindsOf, skeletonOf } from '../character/index.ts';
import { compareCharacters } from '../parity/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { findBrokenBinds } from './broken-binds.ts';
import { repairStep } from '../skeleton/repair-step.ts';

function damaged(change: (binds: Float32Array, at: (name: string) => number) => void) {
  const document = stickFigure();
  const [skin] = document.getRoot().listSkins(),
    binds = Float32Array.from(inverseBindsOf(skin));
  change(binds, (name) => skin.listJoints().findIndex((joint) => joint.getName() === name) * 16);
  skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(binds));
  return document;
}
const names = (document: ReturnType<typeof stickFigure>) => {
  const skeleton = skeletonOf(document);
  return findBrokenBinds(document, skeleton).map((entry) => [skeleton.joints[entry.joint].getName(), entry.what]);
};

describe('findBrokenBinds', () => {
  it('finds nothing in a sound figure', () => {
    expect(names(stickFigure())).toEqual([]);
  });
  it('finds a moved, a mirrored, a sheared and a scaled one', () => {
    expect(
      names(
        damaged((binds, at) => {
          binds[at('leftLowerArm') + 12] += 0.2;
        }),
      ),
    ).toEqual([['leftLowerArm', 'moved']]);
    expect(
      names(
        damaged((binds, at) => {
          binds[at('rightLowerLeg') + 5] *= -1;
        }),
      ),
    ).toEqual([['rightLowerLeg', 'mirrored']]);
    expect(
      names(
        damaged((binds, at) => {
          binds[at('chest') + 4] += 0.4;
        }),
      ),
    ).toEqual([['chest', 'sheared']]);
    expect(
      names(
        damaged((binds, at) => {
          for (const k of [0, 5, 10]) binds[at('head') + k] *= 1.5;
        }),
      ),
    ).toEqual([['head', 'scaled']]);
  });
  it('takes a rest that is a pose for a pose: a bent arm is no broken bind', () => {
    const document = stickFigure();
    skeletonOf(document)
      .joints.find((joint) => joint.getName() === 'leftUpperArm')
      ?.setRotation([0, 0, Math.sin(0.4), Math.cos(0.4)]);
    expect(names(document)).toEqual([]);
  });
  it('is no trouble whatever the numbers', () => {
    fc.assert(
      fc.property(
        fc.array(fc.tuple(fc.nat(100), fc.nat(15), fc.double({ min: -5, max: 5, noNaN: true })), { maxLength: 12 }),
        (changes) => {
          const document = damaged((binds) => {
            for (const [joint, k, value] of changes) if (joint * 16 + k < binds.length) binds[joint * 16 + k] = value;
          });
          for (const entry of findBrokenBinds(document)) expect(Number.isFinite(entry.metres)).toBe(true);
        },
      ),
      { seed: 11, numRuns: 60 },
    );
  });
});

describe('skeleton.repair', () => {
  it('brings the figure back to where it was, in every pose', async () => {
    const document = damaged((binds, at) => {
      binds[at('leftLowerArm') + 12] += 0.2;
      binds[at('rightLowerLeg') + 5] *= -1;
      binds[at('leftUpperLeg') + 13] -= 0.1;
    });
    const { measures, findings } = await repairStep.run(document, { leave: [] }, SHIPPED_TARGETS[0], testContext());
    expect(measures[0]).toMatchObject({ source: 3, result: 0 });
    expect(findings).toHaveLength(3);
    const { shape } = await compareCharacters(stickFigure(), document, { samples: 1500 });
    expect(Math.max(shape.rest.maxMm, ...shape.poses.map((row) => row.maxMm))).toBeLessThan(0.01);
  });
  it('leaves alone what it is told to', async () => {
    const document = damaged((binds, at) => {
      binds[at('leftLowerArm') + 12] += 0.2;
    });
    await repairStep.run(document, { leave: ['leftLowerArm'] }, SHIPPED_TARGETS[0], testContext());
    expect(names(document)).toHaveLength(1);
  });
});
