import { isHumanoidRole, jointDistance, jointPosition, type Skeleton } from '../character/index.ts';
import { sub } from '../geometry/index.ts';
import { type RoleFound } from './role-found.ts';
import { roleIndex } from './roles.ts';

/** A skeleton with what its joints are: a character's, or a figure's. */
export interface Rig {
  skeleton: Skeleton;
  roles: readonly RoleFound[];
}

/** Joints between hips and head with their place along the trunk, 0 at the hips, 1 at the head. */
export interface Strand {
  joints: number[];
  at: number[];
}

/** The joints from hips to head, both included. */
export function trunkOf({ skeleton, roles }: Rig): Strand {
  const index = roleIndex(roles),
    hips = index.get('hips'),
    head = index.get('head');
  if (hips === undefined || head === undefined) return { joints: [], at: [] };
  const joints: number[] = [];
  for (let j = head; j >= 0; j = skeleton.parent[j]) {
    joints.unshift(j);
    if (j === hips) break;
  }
  // The head may not hang below the joint found as hips; then there is no strand to follow.
  if (joints[0] !== hips) return { joints: [], at: [] };
  return strand(skeleton, joints);
}

function strand(skeleton: Skeleton, joints: number[]): Strand {
  const at = [0];
  for (let i = 1; i < joints.length; i++) at.push(at[i - 1] + jointDistance(skeleton, joints[i - 1], joints[i]));
  const whole = at.at(-1) || 1;
  return { joints, at: at.map((value) => value / whole) };
}

/** Nearest joint above that has a humanoid role, or −1. */
export function boneAbove({ skeleton, roles }: Rig, joint: number): number {
  for (let j = skeleton.parent[joint]; j >= 0; j = skeleton.parent[j]) if (isHumanoidRole(roles[j].role)) return j;
  return -1;
}

/** Place of a joint along the bone that starts at `bone`, 0 at its root, 1 at the next humanoid joint. */
export function alongBone({ skeleton, roles }: Rig, bone: number, joint: number): number {
  const from = jointPosition(skeleton, bone);
  let length = 0,
    axis = [0, 0, 0];
  for (let j = bone + 1; j < skeleton.joints.length; j++) {
    if (!isHumanoidRole(roles[j].role) || boneAbove({ skeleton, roles }, j) !== bone) continue;
    const d = sub(jointPosition(skeleton, j), from),
      l = Math.hypot(...d);
    if (l > length) {
      length = l;
      axis = d;
    }
  }
  const d = sub(jointPosition(skeleton, joint), from);
  return length ? (d[0] * axis[0] + d[1] * axis[1] + d[2] * axis[2]) / (length * length) : 0;
}

/**
 * Pairs two ordered lists without crossing, as many as the shorter holds, at the least total cost (dynamic
 * programming over both).
 */
export function pairInOrder(count: [number, number], cost: (a: number, b: number) => number): [number, number][] {
  const [n, m] = count,
    pairs = Math.min(n, m);
  const best = Array.from({ length: n + 1 }, () => new Float64Array((m + 1) * (pairs + 1)).fill(Infinity));
  const at = (j: number, k: number) => j * (pairs + 1) + k;
  for (let i = 0; i <= n; i++)
    for (let j = 0; j <= m; j++) {
      best[i][at(j, 0)] = 0;
      for (let k = 1; k <= Math.min(i, j, pairs); k++)
        best[i][at(j, k)] = Math.min(
          best[i - 1][at(j, k)],
          best[i][at(j - 1, k)],
          best[i - 1][at(j - 1, k - 1)] + cost(i - 1, j - 1),
        );
    }
  const out: [number, number][] = [];
  for (let i = n, j = m, k = pairs; k > 0; ) {
    if (best[i][at(j, k)] === best[i - 1]?.[at(j, k)]) i--;
    else if (j > 0 && best[i][at(j, k)] === best[i][at(j - 1, k)]) j--;
    else {
      out.unshift([i - 1, j - 1]);
      i--;
      j--;
      k--;
    }
  }
  return out;
}

const words = (name: string): string => name.toLowerCase().replace(/[^a-z0-9]/g, '');
const MIDDLE = 0.004;
const sideOf = (x: number): number => (x > MIDDLE ? 1 : x < -MIDDLE ? -1 : 0);

/**
 * Which joint of `source` each joint of `figure` is: humanoid roles first, the trunk by order and place, twists by
 * their place on the bone, metacarpals by the finger they lead to, ends by what they end, the rest by name and then
 * by place.
 * @param ties source joint name → figure joint name, or '' for none, set by hand
 * @returns source joint by figure joint, −1 where there is none
 */
export function matchFigure(source: Rig, figure: Rig, ties: Readonly<Record<string, string>> = {}): Int32Array {
  const from = new Int32Array(figure.skeleton.joints.length).fill(-1),
    taken = new Set<number>();
  const nameAt = new Map(figure.skeleton.joints.map((joint, i) => [joint.getName(), i]));
  source.skeleton.joints.forEach((joint, i) => {
    const tie = ties[joint.getName()];
    if (tie === undefined) return;
    taken.add(i);
    const to = nameAt.get(tie);
    if (to !== undefined) from[to] = i;
  });
  const pair = (f: number, s: number) => {
    if (from[f] < 0 && !taken.has(s)) {
      from[f] = s;
      taken.add(s);
    }
  };

  const trunkS = trunkOf(source),
    trunkF = trunkOf(figure),
    inTrunk = new Set(trunkF.joints);
  const own = roleIndex(source.roles),
    wanted = roleIndex(figure.roles);
  for (const [role, f] of wanted) {
    const s = own.get(role);
    if (s !== undefined && (!inTrunk.has(f) || role === 'hips' || role === 'head' || role === 'neck')) pair(f, s);
  }
  pairTrunk(source, figure, trunkS, trunkF, pair);

  const free = () => ({
    s: source.skeleton.joints.map((_, i) => i).filter((i) => !taken.has(i)),
    f: [...from.keys()].filter((i) => from[i] < 0),
  });
  pairAbove(source, figure, pair);
  pairGroups(source, figure, from, free(), pair);
  const ends = free();
  for (const f of ends.f)
    if (figure.roles[f].role === 'end') {
      const above = from[figure.skeleton.parent[f]];
      const s = ends.s.find(
        (i) =>
          !taken.has(i) &&
          source.roles[i].role === 'end' &&
          above !== undefined &&
          above >= 0 &&
          source.skeleton.parent[i] === above,
      );
      if (s !== undefined) pair(f, s);
    }
  pairRest(source, figure, from, free(), pair);
  return from;
}

function pairTrunk(source: Rig, figure: Rig, s: Strand, f: Strand, pair: (f: number, s: number) => void): void {
  const split = (rig: Rig, strand: Strand) => {
    const neck = strand.joints.findIndex((joint) => rig.roles[joint].role === 'neck');
    return neck < 0 ? strand.joints.length - 1 : neck;
  };
  const a = split(source, s),
    b = split(figure, f),
    armsS = carriesArms(source, s),
    armsF = carriesArms(figure, f);
  for (const [[s0, s1], [f0, f1]] of [
    [
      [1, a],
      [1, b],
    ],
    [
      [a + 1, s.joints.length - 1],
      [b + 1, f.joints.length - 1],
    ],
  ] as const) {
    // What carries the arms counts more than what it is called: with two spine joints the upper one is “chest”, with five it isn't.
    const cost = (i: number, j: number) =>
      Math.abs(s.at[s0 + i] - f.at[f0 + j]) -
      (s.joints[s0 + i] === armsS && f.joints[f0 + j] === armsF ? 0.5 : 0) -
      (isHumanoidRole(source.roles[s.joints[s0 + i]].role) &&
      source.roles[s.joints[s0 + i]].role === figure.roles[f.joints[f0 + j]].role
        ? 0.2
        : 0);
    for (const [i, j] of pairInOrder([Math.max(0, s1 - s0), Math.max(0, f1 - f0)], cost))
      pair(f.joints[f0 + j], s.joints[s0 + i]);
  }
}

/** The trunk's joint that the arms hang on, −1 where none is found. */
function carriesArms({ skeleton, roles }: Rig, { joints }: Strand): number {
  for (let j = roleIndex(roles).get('leftUpperArm') ?? -1; j >= 0; j = skeleton.parent[j])
    if (joints.includes(j)) return j;
  return -1;
}

/** Joints above the hips, from the top down. */
function pairAbove(source: Rig, figure: Rig, pair: (f: number, s: number) => void): void {
  const above = (rig: Rig) => {
    const out: number[] = [],
      hips = roleIndex(rig.roles).get('hips');
    if (hips !== undefined) for (let j = rig.skeleton.parent[hips]; j >= 0; j = rig.skeleton.parent[j]) out.unshift(j);
    return out;
  };
  const s = above(source),
    f = above(figure);
  for (let i = 0; i < Math.min(s.length, f.length); i++) pair(f[i], s[i]);
}

/** Twists of one bone, the tongue, metacarpals: groups whose members have an order. */
function pairGroups(
  source: Rig,
  figure: Rig,
  from: Int32Array,
  free: { s: number[]; f: number[] },
  pair: (f: number, s: number) => void,
): void {
  const grouped = (rig: Rig, joints: number[]) => {
    const groups = new Map<string, { joint: number; at: number }[]>();
    for (const joint of joints) {
      const key = groupOf(rig, joint);
      if (key) {
        const bone = boneAbove(rig, joint);
        groups.set(key, [...(groups.get(key) ?? []), { joint, at: bone < 0 ? joint : alongBone(rig, bone, joint) }]);
      }
    }
    for (const members of groups.values()) members.sort((a, b) => a.at - b.at || a.joint - b.joint);
    return groups;
  };
  const s = grouped(source, free.s),
    f = grouped(figure, free.f);
  for (const [key, wanted] of f) {
    const own = s.get(key) ?? [];
    for (const [i, j] of pairInOrder([own.length, wanted.length], (i, j) => Math.abs(own[i].at - wanted[j].at)))
      if (from[wanted[j].joint] < 0) pair(wanted[j].joint, own[i].joint);
  }
}

function groupOf(rig: Rig, joint: number): string | null {
  const { role } = rig.roles[joint],
    bone = boneAbove(rig, joint);
  if (role === 'twist') return bone < 0 ? null : `twist ${rig.roles[bone].role}`;
  if (role === 'tongue') return 'tongue';
  if (isHumanoidRole(role) || bone < 0 || !rig.roles[bone].role.endsWith('Hand')) return null;
  for (let j = joint + 1; j < rig.skeleton.joints.length; j++)
    if (rig.skeleton.parent[j] === joint && /(Index|Middle|Ring|Little)Proximal$/.test(rig.roles[j].role))
      return `metacarpal ${rig.roles[j].role}`;
  return null;
}

/** What is left: by the same name, then by the nearest place under the same bone, within 4 % of the height. */
function pairRest(
  source: Rig,
  figure: Rig,
  from: Int32Array,
  free: { s: number[]; f: number[] },
  pair: (f: number, s: number) => void,
): void {
  const scale = spanOf(source.skeleton) / (spanOf(figure.skeleton) || 1),
    reach = 0.04 * spanOf(source.skeleton);
  const loose = (role: string) => !isHumanoidRole(role) && role !== 'end';
  const found: { f: number; s: number; cost: number }[] = [];
  for (const f of free.f)
    for (const s of free.s) {
      if (!loose(figure.roles[f].role) || !loose(source.roles[s].role)) continue;
      const same = words(figure.skeleton.joints[f].getName()) === words(source.skeleton.joints[s].getName());
      const boneF = boneAbove(figure, f),
        boneS = boneAbove(source, s);
      if (!same && (figure.roles[f].role !== source.roles[s].role || boneF < 0 || boneS < 0 || from[boneF] !== boneS))
        continue;
      const a = jointPosition(figure.skeleton, f),
        b = jointPosition(source.skeleton, s);
      if (!same && sideOf(a[0]) !== sideOf(b[0])) continue;
      const atF = boneF < 0 ? [0, 0, 0] : jointPosition(figure.skeleton, boneF),
        atS = boneS < 0 ? [0, 0, 0] : jointPosition(source.skeleton, boneS);
      const apart = Math.hypot(...[0, 1, 2].map((k) => (a[k] - atF[k]) * scale - (b[k] - atS[k])));
      if (same || apart < reach) found.push({ f, s, cost: same ? -1 : apart });
    }
  found.sort((x, y) => x.cost - y.cost || x.f - y.f || x.s - y.s);
  for (const { f, s } of found) pair(f, s);
}

/** Height that the joints span, metres. */
export function spanOf(skeleton: Skeleton): number {
  let low = Infinity,
    high = -Infinity;
  for (let i = 13; i < skeleton.global.length; i += 16) {
    low = Math.min(low, skeleton.global[i]);
    high = Math.max(high, skeleton.global[i]);
  }
  return high > low ? high - low : 1;
}
