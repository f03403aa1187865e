import { describe, expect, it } from 'vitest';
import type { HumanoidRole, Skeleton } from '../character/index.ts';
import { carriedByLimbs, limbMaps, type Placed } from './align.ts';

type Joint = readonly [role: HumanoidRole | '', parent: number, x: number, y: number, z: number];
const FIGURE: readonly Joint[] = [
  ['hips', -1, 0, 1, 0],
  ['spine', 0, 0, 1.2, 0],
  ['neck', 1, 0, 1.5, 0],
  ['head', 2, 0, 1.6, 0],
  ['leftUpperArm', 1, 0.2, 1.4, 0],
  ['leftLowerArm', 4, 0.5, 1.4, 0],
  ['', 5, 0.6, 1.4, 0],
  ['leftHand', 5, 0.7, 1.4, 0],
  ['leftMiddleProximal', 7, 0.8, 1.4, 0],
  ['leftFoot', 0, 0.1, 0.1, 0],
  ['leftEye', 3, 0.03, 1.65, 0.08],
  ['rightEye', 3, -0.03, 1.65, 0.08],
];

function placed(joints: readonly Joint[]): Placed {
  const global = new Float64Array(joints.length * 16);
  joints.forEach(([, , x, y, z], i) => global.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, z, 1], i * 16));
  return {
    skeleton: {
      joints: joints.map(() => ({})),
      parent: Int32Array.from(joints, ([, parent]) => parent),
      global,
      index: new Map(),
    } as unknown as Skeleton,
    roles: new Map(joints.flatMap(([role], i) => (role ? [[role, i] as const] : []))),
  };
}
/** A vertex that follows one joint. */
const carried = (to: readonly Joint[], joint: number, at: readonly number[]) => [
  ...carriedByLimbs(
    Float32Array.from(at),
    { perVertex: 1, joints: [joint], weights: [1] },
    limbMaps(placed(FIGURE), placed(to)),
  ),
];
const near = (found: readonly number[], wanted: readonly number[]) =>
  found.forEach((x, k) => expect(x).toBeCloseTo(wanted[k], 5));
const changed = (change: (role: string, at: number[]) => number[]): Joint[] =>
  FIGURE.map(([role, parent, ...at]) => {
    const [x, y, z] = change(role, at);
    return [role, parent, x, y, z];
  });

describe('limbs laid on limbs', () => {
  it('leave everything where it is on a figure of the same build', () => {
    for (const [i, [, , x, y, z]] of FIGURE.entries())
      near(carried(FIGURE, i, [x + 0.05, y - 0.02, z + 0.01]), [x + 0.05, y - 0.02, z + 0.01]);
  });
  it('grow with the figure', () => {
    const twice = changed((_, at) => at.map((x) => 2 * x));
    for (const [i, [, , x, y, z]] of FIGURE.entries())
      near(carried(twice, i, [x + 0.05, y, z + 0.01]), [2 * x + 0.1, 2 * y, 2 * z + 0.02]);
  });
  it('are as long as the other’s, and as thick as the body says', () => {
    // The lower arm reaches twice as far; what hangs on it goes along.
    const longer = changed((_, [x, y, z]) => (x > 0.55 ? [x + 0.2, y, z] : [x, y, z]));
    near(carried(longer, 5, [0.6, 1.43, 0.02]), [0.7, 1.43, 0.02]);
    near(carried(longer, 6, [0.6, 1.43, 0.02]), [0.7, 1.43, 0.02]);
    near(carried(longer, 7, [0.75, 1.4, 0.02]), [0.95, 1.4, 0.02]);
  });
  it('turn as the other’s bones lie', () => {
    // All of the arm down by a right angle about the shoulder.
    const down = changed((_, [x, y, z]) => (x > 0.15 ? [0.2 + (y - 1.4), 1.4 - (x - 0.2), z] : [x, y, z]));
    near(carried(down, 4, [0.4, 1.45, 0.03]), [0.25, 1.2, 0.03]);
    near(carried(down, 7, [0.75, 1.42, 0.01]), [0.22, 0.85, 0.01]);
  });
  it('take the head as one, by eyes and joint: wider eyes, larger head', () => {
    const wide = changed((role, [x, y, z]) =>
        /Eye|head/.test(role) ? [1.2 * x, 1.6 + 1.2 * (y - 1.6), 1.2 * z] : [x, y, z],
      ),
      [x, y, z] = carried(wide, 3, [0, 1.8, 0.05]);
    near([x, y, z], [0, 1.84, 0.06]);
  });
  it('leave what follows nothing where it is', () => {
    near(
      [
        ...carriedByLimbs(
          Float32Array.of(1, 2, 3),
          { perVertex: 2, joints: [0, 1], weights: [0, 0] },
          limbMaps(placed(FIGURE), placed(FIGURE)),
        ),
      ],
      [1, 2, 3],
    );
  });
});
