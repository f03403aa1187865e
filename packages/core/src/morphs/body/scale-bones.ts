import { influencesOf, isFingerRole, jointPosition, type Skeleton } from '../../character/index.ts';
import type { MixBench } from '../mix/bench.ts';
import type { Person } from '../mix/people.ts';
import { goAlong } from '../mix/go-along.ts';

/** How a body is drawn out: along its bones, across them, and across where flesh is. */
export interface BodyScale {
  along: number;
  across: number;
  /** Beside that, of trunk and limbs; 1 for none. */
  flesh: number;
}

export interface Scaled {
  /** How far vertices and joints go, xyz, metres. */
  moved: Float32Array;
  shifts: Float64Array;
  /** What directions become at every vertex: nine numbers, row by row. */
  linear: Float32Array;
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

/**
 * Draws a body out along its bones: each bone's own linear map Sⱼ = c I + (a − c) d dᵀ along its direction d, each joint where
 * the map of the one above puts it, and the mesh by its weights, Σ wⱼ (p′ⱼ + Sⱼ (v − pⱼ)). The lowest point stays on the floor.
 */
export function scaleBones(bench: MixBench, scale: BodyScale): Scaled {
  const { own } = bench,
    { skeleton } = own,
    maps = boneMaps(own, scale),
    to = jointsTo(skeleton, maps),
    moved = new Float32Array(own.rest.length),
    linear = new Float32Array((own.rest.length / 3) * 9),
    follows = own.sheets.map((sheet, i) => {
      const skin = sheet.part.node.getSkin(),
        influences = skin && influencesOf(sheet.part.prim);
      if (skin && influences) {
        const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0);
        blend(own, sheet, { at, ...influences }, { maps, to }, moved, linear);
        return true;
      }
      const above = jointAbove(skeleton, own, i);
      if (above >= 0)
        blend(
          own,
          sheet,
          {
            at: [above],
            perVertex: 1,
            joints: new Uint16Array(sheet.vertices),
            weights: new Float32Array(sheet.vertices).fill(1),
          },
          { maps, to },
          moved,
          linear,
        );
      return above >= 0;
    });
  goAlong(bench, moved, (i) => follows[i]);
  const off = lowestOf(own.rest) - lowestOf(own.rest.map((value, k) => value + moved[k]));
  for (let k = 1; k < moved.length; k += 3) moved[k] += off;
  const shifts = Float64Array.from(
    to,
    (value, k) => value - jointPosition(skeleton, Math.floor(k / 3))[k % 3] + (k % 3 === 1 ? off : 0),
  );
  return { moved, shifts, linear };
}

const lowestOf = (points: Float32Array): number => {
  let low = Infinity;
  for (let k = 1; k < points.length; k += 3) if (points[k] < low) low = points[k];
  return low;
};

/** Each bone's linear map, nine numbers row by row; a joint without a part of its own in this has that of the one above. */
function boneMaps({ skeleton, roles }: Person, { along, across, flesh }: BodyScale): Float64Array {
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
function jointsTo(skeleton: Skeleton, maps: Float64Array): Float64Array {
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

function jointAbove(skeleton: Skeleton, own: Person, i: number): number {
  for (let at = own.sheets[i].part.node.getParentNode(); at; at = at.getParentNode()) {
    const j = skeleton.index.get(at);
    if (j !== undefined) return j;
  }
  return -1;
}

function blend(
  { rest, skeleton }: Person,
  { first, vertices }: Person['sheets'][number],
  {
    at,
    perVertex,
    joints,
    weights,
  }: { at: readonly number[]; perVertex: number; joints: ArrayLike<number>; weights: Float32Array },
  { maps, to }: { maps: Float64Array; to: Float64Array },
  moved: Float32Array,
  linear: Float32Array,
): void {
  const sum = new Float64Array(3),
    map = new Float64Array(9);
  for (let v = 0; v < vertices; v++) {
    const o = (first + v) * 3;
    let total = 0;
    sum.fill(0);
    map.fill(0);
    for (let s = v * perVertex; s < (v + 1) * perVertex; s++) {
      const w = weights[s],
        j = at[joints[s]];
      if (!w) continue;
      total += w;
      for (let k = 0; k < 9; k++) map[k] += w * maps[j * 9 + k];
      for (let r = 0; r < 3; r++) {
        let value = to[j * 3 + r];
        for (let k = 0; k < 3; k++) value += maps[j * 9 + r * 3 + k] * (rest[o + k] - skeleton.global[j * 16 + 12 + k]);
        sum[r] += w * value;
      }
    }
    if (!(total > 0)) {
      for (let k = 0; k < 3; k++) linear[(first + v) * 9 + k * 4] = 1;
      continue;
    }
    for (let r = 0; r < 3; r++) moved[o + r] = sum[r] / total - rest[o + r];
    for (let k = 0; k < 9; k++) linear[(first + v) * 9 + k] = map[k] / total;
  }
}
