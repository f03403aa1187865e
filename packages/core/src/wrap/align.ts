import { type HumanoidRole, HUMANOID_PARENT, HUMANOID_ROLES, type Skeleton } from '../character/index.ts';
import { dot, type Quat, quatBetween, quatMultiply, quatRotate, sub, unit, type Vec3 } from '../geometry/index.ts';
import { spanOf } from '../rig/index.ts';

/** Places of a figure's joints, with which of them is what. */
export interface Placed {
  skeleton: Skeleton;
  roles: ReadonlyMap<HumanoidRole, number>;
}

/** x ↦ M (x − from) + to; M by rows. */
interface LimbMap {
  m: Float64Array;
  /** What of M is a turn. */
  turn: Quat;
  from: Vec3;
  to: Vec3;
}

/** Where a limb goes on to, where its roles don't say it by having one child alone. */
const GOES_ON: Partial<Record<HumanoidRole, HumanoidRole>> = {
  hips: 'spine',
  upperChest: 'neck',
  leftHand: 'leftMiddleProximal',
  rightHand: 'rightMiddleProximal',
};
const HEAD_ANCHORS: readonly HumanoidRole[] = ['head', 'jaw', 'leftEye', 'rightEye'];

/**
 * How each joint of a figure carries what follows it to another figure of another build: turned as its bone lies there, as
 * long as the bone is there, and across in the ratio of the two bodies. The head goes as one, by its joint, jaw and eyes.
 * Both figures stand in the same rest pose, nearly.
 */
export function limbMaps(body: Placed, other: Placed): LimbMap[] {
  const roleOf = new Map([...body.roles].map(([role, joint]) => [joint, role])),
    at = (figure: Placed, joint: number): Vec3 => [
      figure.skeleton.global[joint * 16 + 12],
      figure.skeleton.global[joint * 16 + 13],
      figure.skeleton.global[joint * 16 + 14],
    ],
    both = (role: HumanoidRole): [Vec3, Vec3] | null => {
      const a = body.roles.get(role),
        b = other.roles.get(role);
      return a === undefined || b === undefined ? null : [at(body, a), at(other, b)];
    },
    size = sizeBetween(body, other, both),
    maps: LimbMap[] = [];
  body.skeleton.joints.forEach((_joint, i) => {
    const above = body.skeleton.parent[i] >= 0 ? maps[body.skeleton.parent[i]] : null,
      role = roleOf.get(i),
      places = role && both(role);
    if (role === 'head') {
      maps.push(
        headMap(
          HEAD_ANCHORS.flatMap((name) => both(name) ?? []),
          size,
          above,
        ),
      );
      return;
    }
    if (!role || !places || isOfHead(role)) {
      // What has no counterpart goes along with what it hangs on.
      maps.push(above ?? scaled(size, at(body, i), at(body, i).map((x) => x * size) as Vec3));
      return;
    }
    const tail = tailOf(role, both);
    let turn: Quat = above?.turn ?? [0, 0, 0, 1],
      along: Vec3 | null = null,
      stretch = size;
    if (tail) {
      const here = sub(tail[0], places[0]),
        there = sub(tail[1], places[1]),
        now = quatRotate(turn, unit(here)),
        by = quatBetween(now, unit(there));
      turn = quatMultiply(by, turn);
      along = unit(here);
      stretch = Math.hypot(...there) / (Math.hypot(...here) || 1);
    }
    maps.push(stretched(turn, along, stretch, size, places[0], places[1]));
  });
  return maps;
}

/** How much taller the other stands, from its feet to its head. */
function sizeBetween(body: Placed, other: Placed, both: (role: HumanoidRole) => [Vec3, Vec3] | null): number {
  const head = both('head'),
    foot = both('leftFoot');
  return head && foot
    ? Math.hypot(...sub(head[1], foot[1])) / (Math.hypot(...sub(head[0], foot[0])) || 1)
    : spanOf(other.skeleton) / (spanOf(body.skeleton) || 1);
}

const isOfHead = (role: HumanoidRole) => role === 'jaw' || role === 'leftEye' || role === 'rightEye';

/** The joint that a role's bone goes to, where both figures have it. */
function tailOf(role: HumanoidRole, both: (role: HumanoidRole) => [Vec3, Vec3] | null): [Vec3, Vec3] | null {
  const named = GOES_ON[role];
  if (named) return both(named) ?? (named === 'spine' ? both('chest') : null);
  for (let at: HumanoidRole = role; ; ) {
    // A joint of the trunk may be missing: the bone goes on to the next there is.
    const next = HUMANOID_ROLES.filter((name) => HUMANOID_PARENT[name] === at);
    if (next.length !== 1) return null;
    const found = both(next[0]);
    if (found) return found;
    at = next[0];
  }
}

function scaled(size: number, from: Vec3, to: Vec3): LimbMap {
  return stretched([0, 0, 0, 1], null, size, size, from, to);
}

/** R (across (1 − dd′) + along dd′) */
function stretched(turn: Quat, direction: Vec3 | null, along: number, across: number, from: Vec3, to: Vec3): LimbMap {
  const m = new Float64Array(9);
  for (let c = 0; c < 3; c++) {
    const column = [0, 1, 2].map(
      (r) => (r === c ? across : 0) + (direction ? (along - across) * direction[r] * direction[c] : 0),
    );
    const turned = quatRotate(turn, column);
    for (let r = 0; r < 3; r++) m[r * 3 + c] = turned[r];
  }
  return { m, turn, from, to };
}

/** The similarity without a turn that brings pairs of places together (least squares), the head's joints among themselves. */
function headMap(flat: readonly Vec3[], size: number, above: LimbMap | null): LimbMap {
  const here = flat.filter((_, k) => k % 2 === 0),
    there = flat.filter((_, k) => k % 2 === 1);
  if (!here.length) return above ?? scaled(size, [0, 0, 0], [0, 0, 0]);
  const a = mean(here),
    b = mean(there);
  let up = 0,
    down = 0;
  here.forEach((p, k) => {
    up += dot(sub(p, a), sub(there[k], b));
    down += dot(sub(p, a), sub(p, a));
  });
  return scaled(here.length > 2 && up > 0 ? up / down : size, a, b);
}

const mean = (places: readonly Vec3[]): Vec3 =>
  [0, 1, 2].map((k) => places.reduce((sum, p) => sum + p[k], 0) / places.length) as Vec3;

/** What follows a figure's joints, by vertex: joints by number in its skeleton. */
export interface Followed {
  perVertex: number;
  joints: ArrayLike<number>;
  weights: ArrayLike<number>;
}

/** Vertices of a figure as its limbs carry them to the other's build, blended by their weights. */
export function carriedByLimbs(
  positions: Float32Array,
  { perVertex, joints, weights }: Followed,
  maps: readonly LimbMap[],
): Float32Array {
  const out = new Float32Array(positions.length);
  for (let v = 0; v * 3 < positions.length; v++) {
    let total = 0,
      x = 0,
      y = 0,
      z = 0;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
      const w = weights[k];
      if (!w) continue;
      const { m, from, to } = maps[joints[k]],
        px = positions[v * 3] - from[0],
        py = positions[v * 3 + 1] - from[1],
        pz = positions[v * 3 + 2] - from[2];
      total += w;
      x += w * (m[0] * px + m[1] * py + m[2] * pz + to[0]);
      y += w * (m[3] * px + m[4] * py + m[5] * pz + to[1]);
      z += w * (m[6] * px + m[7] * py + m[8] * pz + to[2]);
    }
    if (total > 0) out.set([x / total, y / total, z / total], v * 3);
    else out.set(positions.subarray(v * 3, v * 3 + 3), v * 3);
  }
  return out;
}

/** What limbs turn and stretch around a vertex, blended by its weights: nine numbers row by row, those of no change for what follows nothing. */
export function linearByLimbs(
  out: Float64Array,
  { perVertex, joints, weights }: Followed,
  vertex: number,
  maps: readonly LimbMap[],
): void {
  let total = 0;
  out.fill(0);
  for (let k = vertex * perVertex; k < (vertex + 1) * perVertex; k++) {
    const w = weights[k];
    if (!w) continue;
    total += w;
    const { m } = maps[joints[k]];
    for (let i = 0; i < 9; i++) out[i] += w * m[i];
  }
  if (total > 0) for (let i = 0; i < 9; i++) out[i] /= total;
  else out[0] = out[4] = out[8] = 1;
}
