import type { Skeleton } from '../character/index.ts';
import { dot, type Quat, quatMultiply, unit, type Vec3 } from '../geometry/index.ts';
import {
  type Direction,
  type Directions,
  directionsOf,
  poseByTurns,
  type RoleIndex,
  turnsToward,
} from '../rig/index.ts';

/** Limbs that point this nearly to each other's mirror image are left as they stand: cosine of one degree. */
const ALIKE = Math.cos(Math.PI / 180);

/**
 * Joint matrices of a pose in which both sides point alike, halfway between what each does; 16 a joint, as `skeleton`'s
 * own. Null where they do already. Only for finding partners: who stands with one arm up is symmetric all the same.
 */
export function symmetricPose(skeleton: Skeleton, roles: RoleIndex): Float64Array | null {
  const now = directionsOf(skeleton, roles),
    wanted = new Map<string, Direction>();
  let crooked = false;
  for (const [role, left] of now) {
    if (!role.startsWith('left')) continue;
    const other = role.replace('left', 'right'),
      right = now.get(other as typeof role);
    if (!right) continue;
    const [ours, theirs] = meeting(left.along, right.along),
      across = left.across && right.across && meeting(left.across, right.across);
    if (dot(left.along, mirror(right.along)) < ALIKE) crooked = true;
    wanted.set(role, { along: ours, across: across?.[0], slack: 0 });
    wanted.set(other, { along: theirs, across: across?.[1], slack: 0 });
  }
  if (!crooked) return null;
  const turns = turnsToward(skeleton, roles, wanted as unknown as Directions),
    // Each away from the one above it.
    own = turns.map((turn, j): [number, Quat] => {
      const above = skeleton.parent[j];
      return [j, above < 0 ? turn : quatMultiply(inverse(turns[above]), turn)];
    });
  return poseByTurns(skeleton, new Map(own));
}

const inverse = ([x, y, z, w]: Quat): Quat => [-x, -y, -z, w];
const mirror = ([x, y, z]: Vec3): Vec3 => [-x, y, z];
/** The direction halfway to the other's mirror image, and its own mirror image; where they are opposite, the first. */
function meeting(a: Vec3, b: Vec3): [Vec3, Vec3] {
  const m = mirror(b),
    sum: Vec3 = [a[0] + m[0], a[1] + m[1], a[2] + m[2]],
    half = Math.hypot(...sum) > 1e-6 ? unit(sum) : a;
  return [half, mirror(half)];
}
