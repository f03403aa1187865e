import { type Skeleton, jointPosition, subtreeOf } from '../character/index.ts';
import { cross, dot, type Vec3 } from '../geometry/index.ts';
import { rolesByShape } from './shape-roles.ts';

export interface SkeletonFrame {
  up: Vec3;
  /** Null where neither toes nor knees nor elbows tell. */
  forward: Vec3 | null;
}

/** So many roles have to be found for a way of standing to be believed. */
const FEWEST_ROLES = 10;
/** Evidence for a facing, in parts of the height, below which it is no more than a guess. */
const CLEAR = 0.012;

/**
 * Up and front of a skeleton without a mesh, from where its joints lie alone: it is looked at in every upright stance,
 * and the one in which most of a body is found is how it stands. Toes reach in front of ankles, knees bend to the
 * front and elbows to the back.
 * @param likely up axis to try first; of two that fit alike it is taken
 * @returns null where no stance shows a body
 */
export function skeletonFrame(skeleton: Skeleton, likely: Vec3): SkeletonFrame | null {
  let best: { score: number; up: Vec3; forward: Vec3; lean: number } | null = null;
  for (const up of [likely, ...AXES.filter((axis) => !same(axis, likely))])
    for (const forward of AXES) {
      if (Math.abs(dot(up, forward)) > 0.5) continue;
      const turned = seenFrom(skeleton, up, forward),
        roles = rolesByShape(turned),
        lean = leaningForward(turned, roles);
      const score = roles.size + Math.max(-0.9, Math.min(0.9, lean * 20)) + (same(up, likely) ? 0.05 : 0);
      if (roles.size >= FEWEST_ROLES && (!best || score > best.score + 1e-9)) best = { score, up, forward, lean };
    }
  return best && { up: best.up, forward: best.lean > CLEAR ? best.forward : null };
}

const AXES: readonly Vec3[] = [
  [0, 1, 0],
  [0, 0, 1],
  [1, 0, 0],
  [0, -1, 0],
  [0, 0, -1],
  [-1, 0, 0],
];
const same = (a: Vec3, b: Vec3): boolean => dot(a, b) > 0.99;

/** The same joints with `up` along +Y and `forward` along +Z; only their places are turned. */
function seenFrom(skeleton: Skeleton, up: Vec3, forward: Vec3): Skeleton {
  const left = cross(up, forward),
    global = Float64Array.from(skeleton.global);
  for (let i = 0; i < skeleton.joints.length; i++)
    [left, up, forward].forEach((axis, k) => {
      global[i * 16 + 12 + k] = dot(axis, jointPosition(skeleton, i));
    });
  return { ...skeleton, global };
}

/** How much of a body looks to +Z, in parts of its height: toes count most, since they reach furthest. */
function leaningForward(skeleton: Skeleton, roles: ReturnType<typeof rolesByShape>): number {
  const at = (i: number) => jointPosition(skeleton, i),
    heights = skeleton.joints.map((_, i) => at(i)[1]),
    floor = Math.min(...heights),
    height = Math.max(...heights) - floor;
  if (!(height > 0)) return 0;
  let sum = 0;
  for (const side of ['left', 'right'] as const) {
    const upperLeg = roles.get(`${side}UpperLeg`),
      [upperArm, lowerArm, hand] = (['UpperArm', 'LowerArm', 'Hand'] as const).map((limb) =>
        roles.get(`${side}${limb}`),
      );
    if (upperLeg !== undefined) {
      const leg = subtreeOf(skeleton, upperLeg),
        low = leg.filter((i) => at(i)[1] - floor < 0.12 * height),
        [ankle, ...toes] = low;
      for (const toe of toes) sum += (at(toe)[2] - at(ankle)[2]) / height / toes.length;
      const knee = leg
        .filter((i) => !low.includes(i) && i !== upperLeg)
        .sort((a, b) => Math.abs(at(a)[1] - floor - 0.28 * height) - Math.abs(at(b)[1] - floor - 0.28 * height))[0];
      if (ankle !== undefined && knee !== undefined) sum += bend(at(upperLeg), at(knee), at(ankle)) / height;
    }
    if (upperArm !== undefined && lowerArm !== undefined && hand !== undefined)
      sum -= bend(at(upperArm), at(lowerArm), at(hand)) / height;
  }
  return sum;
}

/** How far in front (+Z) of the line from a to c the joint between them lies. */
function bend(a: Vec3, b: Vec3, c: Vec3): number {
  const length2 = (c[0] - a[0]) ** 2 + (c[1] - a[1]) ** 2 + (c[2] - a[2]) ** 2 || 1,
    t = ((b[0] - a[0]) * (c[0] - a[0]) + (b[1] - a[1]) * (c[1] - a[1]) + (b[2] - a[2]) * (c[2] - a[2])) / length2;
  return b[2] - (a[2] + (c[2] - a[2]) * t);
}
