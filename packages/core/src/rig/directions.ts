import { type HumanoidRole, jointPosition, type Skeleton } from '../character/index.ts';
import {
  cross,
  dot,
  quatAngle,
  quatBetween,
  quatFromAxis,
  quatMultiply,
  quatRotate,
  sub,
  unit,
  type Quat,
  type Vec3,
} from '../geometry/index.ts';

/** Which joint a limb's joint points to. */
const CHILD: Partial<Record<HumanoidRole, HumanoidRole>> = {};
for (const side of ['left', 'right'] as const) {
  const chain = (...names: string[]) =>
    names.slice(1).forEach((name, i) => {
      CHILD[`${side}${names[i]}` as HumanoidRole] = `${side}${name}` as HumanoidRole;
    });
  chain('Shoulder', 'UpperArm', 'LowerArm', 'Hand', 'MiddleProximal');
  chain('UpperLeg', 'LowerLeg', 'Foot', 'Toes');
  chain('ThumbMetacarpal', 'ThumbProximal', 'ThumbDistal');
  for (const finger of ['Index', 'Middle', 'Ring', 'Little'])
    chain(`${finger}Proximal`, `${finger}Intermediate`, `${finger}Distal`);
}

/** Where a joint's bone should point, in the body's frame; hands also say where the index lies from the little finger. */
export interface Direction {
  along: Vec3;
  across?: Vec3 /** Turned only where further off than this, radians. */;
  slack: number;
}
export type Directions = ReadonlyMap<HumanoidRole, Direction>;
export type RoleIndex = ReadonlyMap<HumanoidRole, number>;

const RAD = Math.PI / 180;
/** People's own build shows in shoulders, legs and fingers; only what is clearly another pose is turned there. */
const slackOf = (role: HumanoidRole): number =>
  (/Shoulder/.test(role)
    ? 15
    : /Leg/.test(role)
      ? 6
      : /Foot/.test(role)
        ? 15
        : /Thumb|Index|Middle|Ring|Little/.test(role)
          ? 8
          : 0) * RAD;

function boneOf(skeleton: Skeleton, roles: RoleIndex, role: HumanoidRole): Vec3 | null {
  const from = roles.get(role),
    child = CHILD[role],
    to = child && roles.get(child);
  if (from === undefined || to === undefined) return null;
  const bone = sub(jointPosition(skeleton, to), jointPosition(skeleton, from));
  return Math.hypot(...bone) > 1e-6 ? unit(bone) : null;
}

function acrossHand(skeleton: Skeleton, roles: RoleIndex, role: HumanoidRole): Vec3 | undefined {
  const side = role.startsWith('left') ? 'left' : 'right',
    index = roles.get(`${side}IndexProximal`),
    little = roles.get(`${side}LittleProximal`);
  if (!role.endsWith('Hand') || index === undefined || little === undefined) return undefined;
  return unit(sub(jointPosition(skeleton, index), jointPosition(skeleton, little)));
}

/** The directions in which a skeleton stands. */
export function directionsOf(skeleton: Skeleton, roles: RoleIndex): Directions {
  const out = new Map<HumanoidRole, Direction>();
  for (const role of roles.keys()) {
    const along = boneOf(skeleton, roles, role);
    if (along) out.set(role, { along, across: acrossHand(skeleton, roles, role), slack: slackOf(role) });
  }
  return out;
}

/** Arms in one line, out or down by `degrees` from straight out, palms down, thumbs to the front; the rest is left. */
export function armDirections(degrees: number): Directions {
  const out = new Map<HumanoidRole, Direction>();
  for (const side of ['left', 'right'] as const)
    for (const bone of ['UpperArm', 'LowerArm', 'Hand'] as const) {
      const x = (side === 'left' ? 1 : -1) * Math.cos(degrees * RAD);
      out.set(`${side}${bone}`, {
        along: [x, -Math.sin(degrees * RAD), 0],
        across: bone === 'Hand' ? [0, 0, 1] : undefined,
        slack: 0,
      });
    }
  return out;
}

/** How far the upper arms hang from straight out, degrees, mean of both; null where there are none. */
export function armsDown(skeleton: Skeleton, roles: RoleIndex): number | null {
  const angles = (['left', 'right'] as const).flatMap((side) => {
    const a = roles.get(`${side}UpperArm`),
      b = roles.get(`${side}Hand`) ?? roles.get(`${side}LowerArm`);
    if (a === undefined || b === undefined) return [];
    const d = unit(sub(jointPosition(skeleton, b), jointPosition(skeleton, a)));
    return [Math.atan2(-d[1], Math.abs(d[0])) / RAD];
  });
  return angles.length ? angles.reduce((sum, angle) => sum + angle, 0) / angles.length : null;
}

/**
 * The turn of every joint, away from rest and in the body's frame, that makes a skeleton's bones point as `wanted`:
 * from the root outwards, each by the smallest turn that is left; hands then roll until the knuckles lie as wanted,
 * half of that in the forearm, as a person does it.
 */
export function turnsToward(skeleton: Skeleton, roles: RoleIndex, wanted: Directions): Quat[] {
  const roleAt = new Map([...roles].map(([role, joint]) => [joint, role]));
  const roll = new Map<number, number>();
  let turns: Quat[] = [];
  for (const pass of [0, 1]) {
    turns = [];
    for (let j = 0; j < skeleton.joints.length; j++) {
      let turn: Quat = skeleton.parent[j] < 0 ? [0, 0, 0, 1] : turns[skeleton.parent[j]];
      const role = roleAt.get(j),
        goal = role && wanted.get(role),
        bone = goal && boneOf(skeleton, roles, role);
      if (goal && bone) {
        const correction = quatBetween(quatRotate(turn, bone), goal.along);
        if (quatAngle(correction) > goal.slack) turn = quatMultiply(correction, turn);
        const extra = roll.get(j);
        if (extra) turn = quatMultiply(quatFromAxis(goal.along, extra), turn);
        const own = acrossHand(skeleton, roles, role);
        if (goal.across && own) {
          const angle = rollBetween(quatRotate(turn, own), goal.across, goal.along),
            above = roles.get(role.replace('Hand', 'LowerArm') as HumanoidRole);
          turn = quatMultiply(quatFromAxis(goal.along, angle), turn);
          if (!pass && above !== undefined && Math.abs(angle) > 5 * RAD) roll.set(above, angle / 2);
        }
      }
      turns.push(turn);
    }
    if (!roll.size) break;
  }
  return turns;
}

/** Signed angle about `axis` that brings `from` over `to`. */
function rollBetween(from: Vec3, to: Vec3, axis: Vec3): number {
  const flat = (v: Vec3): Vec3 => {
    const d = dot(v, axis);
    return unit([v[0] - axis[0] * d, v[1] - axis[1] * d, v[2] - axis[2] * d]);
  };
  const a = flat(from),
    b = flat(to);
  return Math.atan2(dot(cross(a, b), axis), dot(a, b));
}
