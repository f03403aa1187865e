import { isFingerRole, jointPosition, type Skeleton } from '../../character/index.ts';
import type { Person } from '../mix/people.ts';

/** How a body is drawn out: along its bones, across them, and across where flesh is. */
export interface BodyScale {
  along: number;
  across: number;
  /** Beside that, of trunk and limbs; 1 for none. */
  flesh: number;
}

/** Share of the flesh that each part of a body takes: most on the trunk, less on limbs. */
const FLESH: readonly (readonly [RegExp, number])[] = [
  [/^(hips|spine|chest|upperChest)$/, 1],
  [/(UpperLeg|UpperArm)$/, 0.8],
  [/(LowerLeg|LowerArm)$/, 0.55],
  [/^neck$|Shoulder$/, 0.4],
];
/** Hands, head and feet keep their size. */
const keeps = (role: string): boolean =>
  isFingerRole(role) || /(Hand|Foot|Toes|Eye)$/.test(role) || ['head', 'jaw', 'face', 'tongue'].includes(role);

/** Each bone's linear map, nine numbers row by row; a joint without a part of its own in this has that of the one above. */
export function boneMaps({ skeleton, roles }: Person, { along, across, flesh }: BodyScale): Float64Array {
  const out = new Float64Array(skeleton.joints.length * 9);
  for (let j = 0; j < skeleton.joints.length; j++) {
    const { role } = roles[j],
      above = skeleton.parent[j],
      share = FLESH.find(([pattern]) => pattern.test(role))?.[1];
    if (share === undefined && !keeps(role) && above >= 0) {
      out.copyWithin(j * 9, above * 9, above * 9 + 9);
      continue;
    }
    const [a, c] = share === undefined ? [1, 1] : [along, across * (1 + (flesh - 1) * share)],
      d = direction(skeleton, roles, j);
    for (let r = 0; r < 3; r++)
      for (let k = 0; k < 3; k++) out[j * 9 + r * 3 + k] = (r === k ? c : 0) + (a - c) * d[r] * d[k];
  }
  return out;
}

/** From a joint to the one its bone leads to: of the trunk upwards, of a limb to the next of it. */
function direction(skeleton: Skeleton, roles: Person['roles'], j: number): [number, number, number] {
  if (roles[j].role === 'hips') return [0, 1, 0];
  const from = jointPosition(skeleton, j);
  let best: [number, number, number] = [0, 1, 0],
    most = 1e-6;
  for (let k = j + 1; k < skeleton.joints.length; k++) {
    if (skeleton.parent[k] !== j || ['twist', 'extra', 'helper', 'end', 'unknown'].includes(roles[k].role)) continue;
    // A chest carries shoulders too: its bone leads to what is nearest to the middle.
    const to = jointPosition(skeleton, k),
      d = [0, 1, 2].map((c) => to[c] - from[c]) as [number, number, number],
      l = Math.hypot(...d),
      aside = /Shoulder$/.test(roles[k].role) ? 0.01 : 1;
    if (l * aside <= most) continue;
    most = l * aside;
    best = d.map((value) => value / l) as [number, number, number];
  }
  return best;
}

/** Where joints come to, xyz; roots stay. */
export function jointsTo(skeleton: Skeleton, maps: Float64Array): Float64Array {
  const to = new Float64Array(skeleton.joints.length * 3);
  for (let j = 0; j < skeleton.joints.length; j++) {
    const at = jointPosition(skeleton, j),
      above = skeleton.parent[j];
    to.set(at, j * 3);
    if (above < 0) continue;
    const from = jointPosition(skeleton, above);
    for (let r = 0; r < 3; r++) {
      to[j * 3 + r] = to[above * 3 + r];
      for (let k = 0; k < 3; k++) to[j * 3 + r] += maps[above * 9 + r * 3 + k] * (at[k] - from[k]);
    }
  }
  return to;
}
