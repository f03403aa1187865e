import { type HumanoidRole, jointPosition, type Skeleton } from '../character/index.ts';

/** Where the figure's middle is: halfway between joints that come in pairs close to the trunk, whatever the limbs do. */
export function middleOfFigure(skeleton: Skeleton, roles: ReadonlyMap<HumanoidRole, number>): number {
  const halves = ['UpperLeg', 'Eye', 'Shoulder', 'UpperArm'].flatMap((name) => {
    const left = roles.get(`left${name}` as HumanoidRole),
      right = roles.get(`right${name}` as HumanoidRole);
    return left === undefined || right === undefined
      ? []
      : [(jointPosition(skeleton, left)[0] + jointPosition(skeleton, right)[0]) / 2];
  });
  const found = halves.sort((a, b) => a - b)[Math.floor((halves.length - 1) / 2)] ?? 0;
  // A tenth of a millimetre is rounding, no lean.
  return Math.abs(found) < 1e-4 ? 0 : found;
}
