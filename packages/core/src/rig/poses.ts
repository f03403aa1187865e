import { HUMANOID_PARENT, type HumanoidRole, jointPosition, type Skeleton } from '../character/index.ts';
import {
  cross,
  invertAffine,
  multiply,
  quatConjugate,
  quatFromAxis,
  quatMultiply,
  rotationOf,
  compose,
  type Quat,
  type Vec3,
  unit,
  sub,
} from '../geometry/index.ts';

const TRUNK: ReadonlySet<string> = new Set(['chest', 'upperChest', 'neck']);

/** One joint's turn away from rest. */
export interface Turn {
  role: HumanoidRole;
  /**
   * Axis in the body's frame: x to the character's left, y up, z to the front; `bend` is the axis that folds a
   * limb forward (legs backward), `twist` runs along the bone.
   */
  axis: 'x' | 'y' | 'z' | 'twist' | 'curl';
  /** Degrees; left-side turns are mirrored for the right. */
  degrees: number;
}
export interface Pose {
  name: string;
  turns: Turn[];
}

const both = (role: string, axis: Turn['axis'], degrees: number): Turn[] => [
  { role: `left${role}` as HumanoidRole, axis, degrees },
  { role: `right${role}` as HumanoidRole, axis, degrees },
];
const left = (role: string, axis: Turn['axis'], degrees: number): Turn => ({
  role: `left${role}` as HumanoidRole,
  axis,
  degrees,
});
const one = (role: HumanoidRole, axis: Turn['axis'], degrees: number): Turn => ({ role, axis, degrees });
const fist = (degrees: number): Turn[] =>
  ['Index', 'Middle', 'Ring', 'Little'].flatMap((finger) =>
    ['Proximal', 'Intermediate', 'Distal'].flatMap((segment) => both(finger + segment, 'curl', degrees)),
  );

/** The range-of-motion set: 24 poses that together turn every limb of a human through most of its range. */
export const RANGE_OF_MOTION: readonly Pose[] = [
  { name: 'arms raised', turns: both('UpperArm', 'z', 75) },
  { name: 'arms lowered', turns: both('UpperArm', 'z', -35) },
  { name: 'arms forward', turns: both('UpperArm', 'y', -70) },
  { name: 'arms back', turns: both('UpperArm', 'y', 35) },
  {
    name: 'reach across',
    turns: [left('UpperArm', 'y', -95), left('LowerArm', 'y', -40), one('upperChest', 'y', -20)],
  },
  { name: 'elbows bent', turns: both('LowerArm', 'y', -100) },
  { name: 'forearms turned', turns: both('LowerArm', 'twist', 70) },
  { name: 'wrists flexed', turns: both('Hand', 'z', -50) },
  { name: 'fists', turns: fist(65) },
  { name: 'shoulders shrugged', turns: both('Shoulder', 'z', 18) },
  { name: 'bent forward', turns: [one('spine', 'x', 30), one('chest', 'x', 20), one('upperChest', 'x', 10)] },
  { name: 'bent back', turns: [one('spine', 'x', -18), one('chest', 'x', -12)] },
  { name: 'bent sideways', turns: [one('spine', 'z', 20), one('chest', 'z', 15)] },
  { name: 'turned', turns: [one('spine', 'y', 20), one('chest', 'y', 20), one('neck', 'y', 25)] },
  { name: 'looking down', turns: [one('neck', 'x', 25), one('head', 'x', 20)] },
  { name: 'looking up', turns: [one('neck', 'x', -20), one('head', 'x', -20)] },
  { name: 'head tilted', turns: [one('neck', 'z', 15), one('head', 'z', 15)] },
  { name: 'jaw open', turns: [one('jaw', 'x', 18)] },
  { name: 'eyes aside', turns: [one('leftEye', 'y', 25), one('rightEye', 'y', 25)] },
  { name: 'leg raised', turns: [left('UpperLeg', 'x', -80), left('LowerLeg', 'x', 60)] },
  { name: 'legs apart', turns: both('UpperLeg', 'z', 28) },
  {
    name: 'squat',
    turns: [
      ...both('UpperLeg', 'x', -85),
      ...both('LowerLeg', 'x', 105),
      ...both('Foot', 'x', -20),
      one('spine', 'x', 20),
    ],
  },
  { name: 'on tiptoe', turns: [...both('Foot', 'x', 35), ...both('Toes', 'x', -30)] },
  {
    name: 'stride',
    turns: [
      left('UpperLeg', 'x', -35),
      one('rightUpperLeg', 'x', 25),
      one('rightLowerLeg', 'x', 30),
      left('UpperArm', 'y', 30),
      one('rightUpperArm', 'y', -30),
    ],
  },
];

/**
 * Global joint matrices of a pose: each turned joint gets a rotation in the body's frame away from its rest,
 * carried to all joints below, so that two skeletons with other joint orientations and the same rest shape
 * take the same pose. Roles that the skeleton lacks are left out.
 * @returns 16 per joint, character space, metres
 */
export function poseSkeleton(
  skeleton: Skeleton,
  roles: ReadonlyMap<HumanoidRole, number>,
  pose: Pose,
  amount = 1,
): Float64Array {
  const turn = new Map<number, Quat>();
  for (const step of pose.turns) {
    const joint = jointFor(roles, step.role);
    if (joint === undefined) continue;
    const q = turnQuat(skeleton, roles, step, joint, amount);
    const before = turn.get(joint);
    turn.set(joint, before ? quatMultiply(q, before) : q);
  }
  return poseByTurns(skeleton, turn);
}

/** A spine with fewer joints bends in those it has; a limb's turn has no other joint to happen in. */
function jointFor(roles: ReadonlyMap<HumanoidRole, number>, role: HumanoidRole): number | undefined {
  for (let at: HumanoidRole | null = role; at; at = HUMANOID_PARENT[at]) {
    const joint = roles.get(at);
    if (joint !== undefined || !TRUNK.has(at)) return joint;
  }
  return undefined;
}

/** A skeleton with the joint each role is played by. */
export interface RoledSkeleton {
  skeleton: Skeleton;
  roles: ReadonlyMap<HumanoidRole, number>;
}

/**
 * The joints of a converted skeleton that do what those of its source did: each role's joint under its new name, or
 * the one of the same role. Joints that a figure puts in get no turn, as nothing turns there in the source; where the
 * source has no skeleton at all, all joints are the result's own.
 * @param renamed the result's names by the source's, as kept in the dossier
 */
export function rolesFromSource(
  source: RoledSkeleton,
  result: RoledSkeleton,
  renamed: Readonly<Record<string, string>> = {},
): Map<HumanoidRole, number> {
  if (!source.skeleton.joints.length) return new Map(result.roles);
  const named = new Map(result.skeleton.joints.map((joint, i) => [joint.getName(), i])),
    out = new Map<HumanoidRole, number>();
  for (const [role, i] of source.roles) {
    const name = source.skeleton.joints[i].getName(),
      now = named.get(renamed[name] ?? name);
    if (now !== undefined) out.set(role, now);
  }
  const taken = new Set(out.values());
  for (const [role, i] of result.roles) if (source.roles.has(role) && !out.has(role) && !taken.has(i)) out.set(role, i);
  // A spine joint that went bends in the neighbour nearest to it.
  const kept = [...out].filter(([role]) => role === 'spine' || TRUNK.has(role));
  for (const [role, i] of source.roles) {
    if (out.has(role) || !TRUNK.has(role) || !kept.length) continue;
    const at = jointPosition(source.skeleton, i),
      far = ([near]: (typeof kept)[number]) =>
        Math.hypot(...sub(jointPosition(source.skeleton, source.roles.get(near) as number), at));
    out.set(role, kept.reduce((best, entry) => (far(entry) < far(best) ? entry : best))[1]);
  }
  return out;
}

/** How every joint moves away from where it stands: S_j = P_j G_j⁻¹, 16 numbers a joint. */
export function motionFrom(skeleton: Skeleton, posed: Float64Array): Float64Array {
  const motion = new Float64Array(posed.length),
    inverse = new Float64Array(16);
  for (let o = 0; o < posed.length; o += 16) {
    invertAffine(inverse, 0, skeleton.global, o);
    multiply(motion, o, posed, o, inverse, 0);
  }
  return motion;
}

/** As {@link poseSkeleton}, for turns already given as body-frame rotations by joint index. */
export function poseByTurns(skeleton: Skeleton, turn: ReadonlyMap<number, Quat>): Float64Array {
  const { global, parent } = skeleton;
  const count = skeleton.joints.length;
  const posed = new Float64Array(count * 16);
  // motion of each joint away from its rest: P_j = M_j · G_j
  const motion = new Float64Array(count * 16);
  const local = new Float64Array(16);
  const eye = [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1];
  for (let j = 0; j < count; j++) {
    const q = turn.get(j);
    if (q) {
      const p = [global[j * 16 + 12], global[j * 16 + 13], global[j * 16 + 14]];
      compose(local, 0, [0, 0, 0], q, [1, 1, 1]);
      for (let k = 0; k < 3; k++) local[12 + k] = p[k] - (local[k] * p[0] + local[4 + k] * p[1] + local[8 + k] * p[2]);
    } else local.set(eye);
    if (parent[j] >= 0) multiply(motion, j * 16, motion, parent[j] * 16, local, 0);
    else motion.set(local, j * 16);
    multiply(posed, j * 16, motion, j * 16, global, j * 16);
  }
  return posed;
}

function turnQuat(
  skeleton: Skeleton,
  roles: ReadonlyMap<HumanoidRole, number>,
  step: Turn,
  joint: number,
  amount: number,
): Quat {
  const right = step.role.startsWith('right');
  const angle = (step.degrees * amount * Math.PI) / 180;
  if (step.axis === 'x') return quatFromAxis([1, 0, 0], angle);
  if (step.axis === 'y' || step.axis === 'z')
    return quatFromAxis(step.axis === 'y' ? [0, 1, 0] : [0, 0, 1], right ? -angle : angle);
  const bone = boneDirection(skeleton, joint);
  if (step.axis === 'twist') return quatFromAxis(bone, right ? -angle : angle);
  // Fingers fold about the axis that is square to the finger and lies in the palm: index root to little root.
  const side = right ? 'right' : 'left';
  const index = roles.get(`${side}IndexProximal`),
    little = roles.get(`${side}LittleProximal`);
  const across: Vec3 =
    index !== undefined && little !== undefined
      ? sub(jointPosition(skeleton, index), jointPosition(skeleton, little))
      : [0, 0, 1];
  const palm = unit(cross(bone, across));
  // The back of the hand looks up or outward: choose the sign that folds the finger away from it.
  const axis = unit(cross(palm, bone));
  const down = cross(axis, bone);
  return quatFromAxis(axis, down[1] > 0 ? -angle : angle);
}

function boneDirection(skeleton: Skeleton, joint: number): Vec3 {
  const p = jointPosition(skeleton, joint);
  for (let i = joint + 1; i < skeleton.joints.length; i++) {
    if (skeleton.parent[i] === joint) {
      const d = sub(jointPosition(skeleton, i), p);
      if (Math.hypot(...d) > 1e-6) return unit(d);
    }
  }
  const above = skeleton.parent[joint];
  return above >= 0 ? unit(sub(p, jointPosition(skeleton, above))) : [0, 1, 0];
}

/** Local rotation that gives a joint its posed global matrix under its posed parent; for clips and engines. */
export function localRotation(parentPosed: Float64Array, posed: Float64Array): Quat {
  return quatMultiply(quatConjugate(rotationOf(parentPosed)), rotationOf(posed));
}
