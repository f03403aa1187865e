import { type HumanoidRole, isHumanoidRole, jointDistance, type Skeleton, subtreeOf } from '../character/index.ts';
import type { NameGuess } from './names.ts';
import type { RoleFound } from './role-found.ts';

/** Roles as they stand after names and shape had their say; joints said by hand, file or figure are `fixed`. */
export interface Standing {
  skeleton: Skeleton;
  names: readonly (NameGuess | null)[];
  out: (RoleFound | null)[];
  taken: Map<HumanoidRole, number>;
  fixed: ReadonlySet<number>;
}

/** A hip joint is at most this share of a thigh long: the joint below it is the one that the thigh turns about. */
const HIP_JOINT_LENGTH = 0.35;

/**
 * Of a chain's candidates the upper leg is the joint above the lower leg: a hip joint between hips and leg, whatever it
 * is called, doesn't turn the thigh. Twists, which lie further down the thigh, stay what they are.
 */
export function settleUpperLegs(standing: Standing): void {
  const { skeleton, names, out, taken, fixed } = standing;
  for (const side of ['left', 'right'] as const) {
    const role = `${side}UpperLeg` as HumanoidRole,
      upper = taken.get(role),
      lower = taken.get(`${side}LowerLeg` as HumanoidRole);
    if (upper === undefined || lower === undefined || fixed.has(upper)) continue;
    const between: number[] = [];
    for (let i = skeleton.parent[lower]; i >= 0 && i !== upper; i = skeleton.parent[i]) between.unshift(i);
    const thigh = jointDistance(skeleton, upper, lower);
    const real = between
      .filter(
        (i) =>
          !fixed.has(i) &&
          !(out[i] && isHumanoidRole(out[i].role)) &&
          names[i]?.role !== 'twist' &&
          names[i]?.role !== 'helper' &&
          (names[i]?.role === role || jointDistance(skeleton, upper, i) < HIP_JOINT_LENGTH * thigh),
      )
      .at(-1);
    if (real === undefined) continue;
    out[real] = {
      role,
      confidence: Math.max(0.6, names[real]?.role === role ? (names[real]?.strength ?? 0) : 0),
      reason: 'the joint above the lower leg',
    };
    out[upper] = { role: 'helper', confidence: 0.6, reason: 'a hip joint between hips and leg' };
    taken.set(role, real);
  }
}

/**
 * The hips are where both legs and the trunk part. A root above that carries no weight stands for the whole figure,
 * even where it is called after the hips.
 * @param carries whether a joint moves any vertex; asked only where it matters
 */
export function settleHips({ skeleton, out, taken, fixed }: Standing, carries: (joint: number) => boolean): void {
  const hips = taken.get('hips'),
    legs = (['left', 'right'] as const).map((side) => taken.get(`${side}UpperLeg`)),
    top = taken.get('neck') ?? taken.get('head');
  if (hips === undefined || top === undefined || legs[0] === undefined || legs[1] === undefined || fixed.has(hips))
    return;
  let parting = hips;
  for (;;) {
    const next = skeleton.joints.findIndex(
      (_, i) =>
        skeleton.parent[i] === parting &&
        [legs[0], legs[1], top].every((joint) => subtreeOf(skeleton, i).includes(joint as number)),
    );
    if (next < 0) break;
    parting = next;
  }
  if (parting === hips || fixed.has(parting) || carries(hips)) return;
  const former = out[parting];
  if (former && isHumanoidRole(former.role)) taken.delete(former.role);
  out[parting] = {
    role: 'hips',
    confidence: 0.8,
    reason: 'both legs and the trunk part here; the joint above carries nothing',
  };
  out[hips] = { role: 'helper', confidence: 0.7, reason: 'root of the hierarchy above the hips' };
  taken.set('hips', parting);
}

const TRUNK = ['spine', 'chest', 'upperChest'] as const;

/**
 * Spines of any length: the joints between hips and neck, in order. One is the spine, two are spine and chest, from
 * three the last is the upper chest and the one before it the chest. What a name gave a joint stays where the order
 * allows it.
 */
export function settleTrunk({ skeleton, names, out, taken, fixed }: Standing): void {
  const hips = taken.get('hips'),
    top = taken.get('neck') ?? taken.get('head');
  if (hips === undefined || top === undefined) return;
  const path: number[] = [];
  for (let i = skeleton.parent[top]; i >= 0 && i !== hips; i = skeleton.parent[i]) path.unshift(i);
  const free = path.filter(
    (i) =>
      !fixed.has(i) &&
      names[i]?.role !== 'twist' &&
      (!out[i] || TRUNK.includes(out[i].role as never) || !isHumanoidRole(out[i].role)),
  );
  if (!free.length || path.some((i) => fixed.has(i) && TRUNK.includes(out[i]?.role as never))) return;
  const place = (role: HumanoidRole) => {
    const joint = taken.get(role);
    return joint === undefined ? -1 : free.indexOf(joint);
  };
  const wanted = free.length === 1 ? ['spine'] : free.length === 2 ? ['spine', 'chest'] : [...TRUNK],
    at = wanted.map((role) => place(role as HumanoidRole));
  // All there and in order: nothing to settle.
  if (at.every((i, k) => i >= 0 && (k === 0 || i > at[k - 1])) && (at[0] === 0 || names[free[0]]?.role === 'helper'))
    return;
  for (const role of TRUNK) {
    const joint = taken.get(role);
    if (joint !== undefined && free.includes(joint)) {
      taken.delete(role);
      out[joint] = null;
    }
  }
  const last = free.length - 1,
    slots: [HumanoidRole, number][] =
      free.length === 1
        ? [['spine', 0]]
        : free.length === 2
          ? [
              ['spine', 0],
              ['chest', 1],
            ]
          : [
              ['spine', 0],
              ['chest', last - 1],
              ['upperChest', last],
            ];
  for (const [role, i] of slots) {
    const joint = free[i],
      named = names[joint];
    out[joint] = {
      role,
      confidence: named?.role === role ? Math.max(0.6, named.strength) : 0.6,
      reason: named?.role === role ? `by name (“${named.words}”)` : 'by its place between hips and neck',
    };
    taken.set(role, joint);
  }
}
