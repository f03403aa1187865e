/** VRM 1.0 humanoid bones and their parents (open standard, VRM consortium), the vocabulary of joint roles. */
export const HUMANOID_PARENT = {
  hips: null,
  spine: 'hips',
  chest: 'spine',
  upperChest: 'chest',
  neck: 'upperChest',
  head: 'neck',
  leftEye: 'head',
  rightEye: 'head',
  jaw: 'head',
  leftUpperLeg: 'hips',
  leftLowerLeg: 'leftUpperLeg',
  leftFoot: 'leftLowerLeg',
  leftToes: 'leftFoot',
  rightUpperLeg: 'hips',
  rightLowerLeg: 'rightUpperLeg',
  rightFoot: 'rightLowerLeg',
  rightToes: 'rightFoot',
  leftShoulder: 'upperChest',
  leftUpperArm: 'leftShoulder',
  leftLowerArm: 'leftUpperArm',
  leftHand: 'leftLowerArm',
  rightShoulder: 'upperChest',
  rightUpperArm: 'rightShoulder',
  rightLowerArm: 'rightUpperArm',
  rightHand: 'rightLowerArm',
  leftThumbMetacarpal: 'leftHand',
  leftThumbProximal: 'leftThumbMetacarpal',
  leftThumbDistal: 'leftThumbProximal',
  leftIndexProximal: 'leftHand',
  leftIndexIntermediate: 'leftIndexProximal',
  leftIndexDistal: 'leftIndexIntermediate',
  leftMiddleProximal: 'leftHand',
  leftMiddleIntermediate: 'leftMiddleProximal',
  leftMiddleDistal: 'leftMiddleIntermediate',
  leftRingProximal: 'leftHand',
  leftRingIntermediate: 'leftRingProximal',
  leftRingDistal: 'leftRingIntermediate',
  leftLittleProximal: 'leftHand',
  leftLittleIntermediate: 'leftLittleProximal',
  leftLittleDistal: 'leftLittleIntermediate',
  rightThumbMetacarpal: 'rightHand',
  rightThumbProximal: 'rightThumbMetacarpal',
  rightThumbDistal: 'rightThumbProximal',
  rightIndexProximal: 'rightHand',
  rightIndexIntermediate: 'rightIndexProximal',
  rightIndexDistal: 'rightIndexIntermediate',
  rightMiddleProximal: 'rightHand',
  rightMiddleIntermediate: 'rightMiddleProximal',
  rightMiddleDistal: 'rightMiddleIntermediate',
  rightRingProximal: 'rightHand',
  rightRingIntermediate: 'rightRingProximal',
  rightRingDistal: 'rightRingIntermediate',
  rightLittleProximal: 'rightHand',
  rightLittleIntermediate: 'rightLittleProximal',
  rightLittleDistal: 'rightLittleIntermediate',
} as const;

export type HumanoidRole = keyof typeof HUMANOID_PARENT;
/** A joint's role: a humanoid bone, or what else it is for. */
export type JointRole = HumanoidRole | 'twist' | 'helper' | 'end' | 'tongue' | 'face' | 'extra' | 'unknown';

export const HUMANOID_ROLES = Object.keys(HUMANOID_PARENT) as HumanoidRole[];
export const OTHER_ROLES = ['twist', 'helper', 'end', 'tongue', 'face', 'extra', 'unknown'] as const;
export const isHumanoidRole = (role: string): role is HumanoidRole => role in HUMANOID_PARENT;
export const isJointRole = (role: string): role is JointRole =>
  isHumanoidRole(role) || (OTHER_ROLES as readonly string[]).includes(role);

/** VRM 1.0 asks for these; the rest may be missing. */
export const REQUIRED_ROLES: readonly HumanoidRole[] = [
  'hips',
  'spine',
  'head',
  'leftUpperLeg',
  'leftLowerLeg',
  'leftFoot',
  'rightUpperLeg',
  'rightLowerLeg',
  'rightFoot',
  'leftUpperArm',
  'leftLowerArm',
  'leftHand',
  'rightUpperArm',
  'rightLowerArm',
  'rightHand',
];

export const isFingerRole = (role: string): boolean => /(Thumb|Index|Middle|Ring|Little)/.test(role);
export const isFaceRole = (role: string): boolean => ['jaw', 'leftEye', 'rightEye', 'face', 'tongue'].includes(role);

/** The same role on the other side; itself where it has no side. */
export function mirroredRole<R extends string>(role: R): R {
  if (role.startsWith('left')) return `right${role.slice(4)}` as R;
  if (role.startsWith('right')) return `left${role.slice(5)}` as R;
  return role;
}

/** Plain words for a role: `leftUpperArm` → `Upper arm left`. */
export function roleLabel(role: string): string {
  const side = /^(left|right)(.+)$/.exec(role);
  const words = (side ? side[2] : role)
    .replace(/([A-Z])/g, ' $1')
    .trim()
    .toLowerCase();
  const text = words.charAt(0).toUpperCase() + words.slice(1);
  return side ? `${text} ${side[1]}` : text;
}
