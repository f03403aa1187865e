import { describe, expect, it } from 'vitest';
import { type Part, skeletonOf } from '../character/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { limbOf, limbsOf } from './worn.ts';

const document = stickFigure(),
  skeleton = skeletonOf(document),
  roles = roleIndex(jointRoles(document, skeleton));
const follows = (points: number[][], role = 'garment') =>
  [...limbsOf({ role } as Part, Float32Array.from(points.flat()), skeleton, roles, 1.7)].sort();
/** A tube of points around the line from a to b. */
const tube = (a: number[], b: number[], radius: number, span = 2 * Math.PI) =>
  Array.from({ length: 400 }, (_, i) => {
    const t = (i % 20) / 19,
      turn = (Math.floor(i / 20) / 20) * span,
      d = b.map((x, k) => x - a[k]),
      l = Math.hypot(...d),
      n = d.map((x) => x / l),
      u = Math.abs(n[1]) < 0.9 ? [n[2], 0, -n[0]] : [1, 0, 0],
      ul = Math.hypot(...u),
      w = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
    return [0, 1, 2].map((k) => a[k] + d[k] * t + (radius * (Math.cos(turn) * u[k] + Math.sin(turn) * w[k])) / ul);
  });
const trunk = tube([0, 0.95, 0], [0, 1.4, 0], 0.17);

describe('what is worn follows', () => {
  it('no limb, over the trunk alone', () => {
    expect(follows(trunk)).toEqual([]);
  });
  it('the arms, where it has sleeves', () => {
    expect(
      follows([
        ...trunk,
        ...tube([0.2, 1.41, -0.01], [0.38, 1.23, -0.02], 0.06),
        ...tube([-0.2, 1.41, -0.01], [-0.38, 1.23, -0.02], 0.06),
      ]),
    ).toEqual(['leftArm', 'rightArm']);
  });
  it('the legs, where it encloses them or its hem hangs over them', () => {
    expect(
      follows([...tube([0.09, 0.9, 0], [0.1, 0.1, 0], 0.09), ...tube([-0.09, 0.9, 0], [-0.1, 0.1, 0], 0.09)]),
    ).toEqual(['leftLeg', 'rightLeg']);
    expect(follows([...trunk, ...tube([0, 0.95, 0], [0, 0.8, 0], 0.2)])).toEqual(['leftLeg', 'rightLeg']);
  });
  it('not an arm that only lies beside it', () => {
    expect(follows([...trunk, ...tube([0.2, 1.41, -0.01], [0.38, 1.23, -0.02], 0.06, Math.PI / 2)])).toEqual([]);
  });
  it('a limb that isn’t known, since it can’t be left alone', () => {
    for (const gone of ['leftUpperArm', 'leftLowerArm', 'leftHand'] as const) {
      const fewer = new Map(roles);
      fewer.delete(gone);
      expect([...limbsOf({ role: 'garment' } as Part, Float32Array.from(trunk.flat()), skeleton, fewer, 1.7)]).toEqual([
        'leftArm',
      ]);
    }
  });
  it('everything, where it is the body', () => {
    expect(follows(trunk, 'body')).toHaveLength(4);
  });
  it('limbs by role, shoulders with the trunk', () => {
    expect(
      ['leftUpperArm', 'rightIndexDistal', 'leftFoot', 'leftShoulder', 'spine', 'head', 'twist'].map(limbOf),
    ).toEqual(['leftArm', 'rightArm', 'leftLeg', null, null, null, null]);
  });
});
