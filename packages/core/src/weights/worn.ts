import { type HumanoidRole, type Part, type Skeleton, isHumanoidRole, jointPosition } from '../character/index.ts';

/** Limbs whose joints a thing that is worn may leave alone. */
const LIMBS = ['leftArm', 'rightArm', 'leftLeg', 'rightLeg'] as const;
export type Limb = (typeof LIMBS)[number];

/** The limb a joint moves, by its role; null for the trunk, the head and what can't be told. Shoulders are of the trunk: what is worn over it hangs on them. */
export function limbOf(role: string): Limb | null {
  const side = role.startsWith('left') ? 'left' : role.startsWith('right') ? 'right' : null;
  if (!side || !isHumanoidRole(role)) return null;
  if (/Leg$|Foot$|Toes$/.test(role)) return `${side}Leg`;
  return /Arm$|Hand$|Thumb|Index|Middle|Ring|Little/.test(role) ? `${side}Arm` : null;
}

/** Roles of parts that are worn, or may be. */
export const WORN: readonly string[] = ['garment', 'footwear', 'accessory', 'other'];
/** From this share of the first bone on a sleeve or a leg of trousers begins: nearer to the trunk everything lies around something. */
const FROM = 0.3;
/** Sectors around a bone, how many of them cloth has to lie in to enclose it, and how far from it, in parts of the height. */
const SECTORS = 12,
  ENCLOSED = 9,
  REACH = 0.12;
/** A hem below the leg's root lies on both thighs without enclosing one, and has to go with them: from this share of the thigh on, and this share of its points. */
const HANGS = 0.05,
  HEM = 0.01;

/**
 * Which limbs a part follows. What is worn over the trunk follows a limb only where it encloses it (a sleeve, a leg of
 * trousers) or, for legs, where its hem hangs below their root: nearness alone would tie a waistcoat's hem to the thighs.
 * @param points xyz of the part's vertices, standing as the joints do
 */
export function limbsOf(
  part: Part,
  points: Float32Array,
  skeleton: Skeleton,
  roles: ReadonlyMap<HumanoidRole, number>,
  height: number,
): Set<Limb> {
  if (!WORN.includes(part.role)) return new Set(LIMBS);
  const out = new Set<Limb>();
  for (const side of ['left', 'right'] as const) {
    for (const [limb, chain] of [
      [`${side}Arm`, ['UpperArm', 'LowerArm', 'Hand']],
      [`${side}Leg`, ['UpperLeg', 'LowerLeg', 'Foot']],
    ] as const) {
      const at = chain
        .map((name) => roles.get(`${side}${name}` as HumanoidRole))
        .map((joint) => (joint === undefined ? null : jointPosition(skeleton, joint)));
      const [root, bend, end] = at;
      // A limb that isn't known can't be left alone.
      if (!root || !bend || !end) {
        out.add(limb);
        continue;
      }
      const first = [0, 1, 2].map((k) => root[k] + (bend[k] - root[k]) * FROM);
      if (
        encloses(points, first, bend, REACH * height) ||
        encloses(points, bend, end, REACH * height) ||
        (limb.endsWith('Leg') && hangsBelow(points, root[1] + (bend[1] - root[1]) * HANGS))
      )
        out.add(limb);
    }
  }
  return out;
}

/** Whether points lie around a segment in nearly every direction. */
function encloses(points: Float32Array, from: ArrayLike<number>, to: ArrayLike<number>, reach: number): boolean {
  const axis = [0, 1, 2].map((k) => to[k] - from[k]),
    length2 = axis[0] ** 2 + axis[1] ** 2 + axis[2] ** 2 || 1,
    length = Math.sqrt(length2);
  const n = axis.map((x) => x / length),
    other = Math.abs(n[0]) < 0.8 ? [1, 0, 0] : [0, 1, 0],
    dot = other[0] * n[0] + other[1] * n[1] + other[2] * n[2];
  const u = other.map((x, k) => x - dot * n[k]),
    ul = Math.hypot(u[0], u[1], u[2]),
    w = [n[1] * u[2] - n[2] * u[1], n[2] * u[0] - n[0] * u[2], n[0] * u[1] - n[1] * u[0]];
  const met = new Uint8Array(SECTORS);
  for (let i = 0; i < points.length; i += 3) {
    const d = [points[i] - from[0], points[i + 1] - from[1], points[i + 2] - from[2]],
      t = (d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2]) / length2;
    if (t < 0 || t > 1) continue;
    const x = (d[0] * u[0] + d[1] * u[1] + d[2] * u[2]) / ul,
      y = (d[0] * w[0] + d[1] * w[1] + d[2] * w[2]) / ul;
    if (x * x + y * y > reach * reach) continue;
    met[Math.min(SECTORS - 1, Math.floor(((Math.atan2(y, x) / Math.PI + 1) / 2) * SECTORS))] = 1;
  }
  return met.reduce((sum, one) => sum + one, 0) >= ENCLOSED;
}

/** Whether more than stray points lie below a height. */
function hangsBelow(points: Float32Array, y: number): boolean {
  let below = 0;
  for (let i = 1; i < points.length; i += 3) if (points[i] < y) below++;
  return below > (points.length / 3) * HEM;
}
