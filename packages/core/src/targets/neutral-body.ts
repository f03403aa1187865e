import { HUMANOID_PARENT, type HumanoidRole } from '../character/index.ts';

export type Place = [number, number, number];

/**
 * Joint places of an adult of 1.75 m who stands upright with the arms at the sides, left side and middle, metres:
 * lengths after the segment shares of Winter, Biomechanics and Motor Control of Human Movement.
 */
const SIDE: Readonly<Record<string, Place>> = {
  hips: [0, 0.95, 0],
  spine: [0, 1.05, -0.01],
  chest: [0, 1.17, -0.02],
  upperChest: [0, 1.3, -0.02],
  neck: [0, 1.46, -0.015],
  head: [0, 1.55, 0],
  jaw: [0, 1.58, 0.02],
  leftEye: [0.031, 1.635, 0.075],
  leftShoulder: [0.03, 1.42, 0.01],
  leftUpperArm: [0.18, 1.41, -0.01],
  leftLowerArm: [0.19, 1.11, -0.02],
  leftHand: [0.195, 0.855, 0.005],
  leftUpperLeg: [0.09, 0.91, 0],
  leftLowerLeg: [0.095, 0.5, 0.005],
  leftFoot: [0.1, 0.075, -0.025],
  leftToes: [0.105, 0.025, 0.1],
  leftThumbMetacarpal: [0.195, 0.83, 0.03],
  leftThumbProximal: [0.19, 0.795, 0.055],
  leftThumbDistal: [0.187, 0.765, 0.07],
  leftIndexProximal: [0.197, 0.765, 0.035],
  leftIndexIntermediate: [0.196, 0.72, 0.038],
  leftIndexDistal: [0.194, 0.695, 0.039],
  leftMiddleProximal: [0.2, 0.76, 0.012],
  leftMiddleIntermediate: [0.199, 0.712, 0.013],
  leftMiddleDistal: [0.197, 0.683, 0.013],
  leftRingProximal: [0.199, 0.766, -0.01],
  leftRingIntermediate: [0.198, 0.722, -0.011],
  leftRingDistal: [0.196, 0.695, -0.012],
  leftLittleProximal: [0.196, 0.776, -0.03],
  leftLittleIntermediate: [0.195, 0.743, -0.033],
  leftLittleDistal: [0.194, 0.723, -0.034],
};
const mirrored = ([x, y, z]: Place): Place => [-x, y, z];

export const NEUTRAL_HEIGHT = 1.75;
/** Place of every humanoid role. */
export const NEUTRAL_PLACES = Object.fromEntries(
  (Object.keys(HUMANOID_PARENT) as HumanoidRole[]).map((role) => [
    role,
    SIDE[role] ?? mirrored(SIDE[role.replace(/^right/, 'left')]),
  ]),
) as Record<HumanoidRole, Place>;

export const between = (a: Place, b: Place, t: number): Place => [
  a[0] + (b[0] - a[0]) * t,
  a[1] + (b[1] - a[1]) * t,
  a[2] + (b[2] - a[2]) * t,
];
