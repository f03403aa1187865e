import { type HumanoidRole, jointPosition, type Skeleton } from '../character/index.ts';
import {
  compose,
  cross,
  multiply,
  quatFromAxis,
  quatMultiply,
  sub,
  unit,
  type Quat,
  type Vec3,
} from '../geometry/index.ts';
import { poseByTurns } from '../rig/index.ts';
import { voxelAt, type Voxels } from '../geometry/index.ts';

export interface SkeletonFit {
  /** Global matrices that place the skeleton in the body, 16 per joint. */
  global: Float64Array;
  scale: number;
  /** Degrees by which the arms were raised. */
  arms: number;
  /** Share of the limb's length that lies in the body. */
  inside: number;
}
type Roles = ReadonlyMap<HumanoidRole, number>;

/** Head joint above the ankles, as a share of the body's height. */
const HEAD_OVER_ANKLE = 0.843;
/** Ratios between units that figures come in; a scale near one of them is meant to be it. */
const UNIT_RATIOS = [1e-2, 1, 100, 0.0254, 1 / 0.0254, 0.3048, 1 / 0.3048, 0.1, 10, 2.54, 1 / 2.54, 30.48, 1 / 30.48];

/**
 * Places a skeleton in a standing body it belongs to: turned upright to the front, scaled to its height, moved to its
 * middle, the arms raised or lowered until they lie inside. Null where hips, head and legs were not found.
 * @param voxels the body's solid, metres, +Y up, facing +Z, on the floor
 */
export function fitSkeleton(skeleton: Skeleton, roles: Roles, voxels: Voxels, height: number): SkeletonFit | null {
  const at = (role: HumanoidRole) => {
    const joint = roles.get(role);
    return joint === undefined ? null : jointPosition(skeleton, joint);
  };
  const hips = at('hips'),
    head = at('head'),
    foot = at('leftFoot') ?? at('rightFoot'),
    left = at('leftUpperLeg') ?? at('leftUpperArm'),
    right = at('rightUpperLeg') ?? at('rightUpperArm');
  if (!hips || !head || !foot || !left || !right) return null;
  const turn = upright(unit(sub(head, foot)), unit(sub(left, right)));
  const whole = new Float64Array(16);
  const moved = (scale: number, shift: Vec3): Float64Array => {
    compose(whole, 0, shift, [0, 0, 0, 1], [scale, scale, scale]);
    const m = new Float64Array(16),
      out = new Float64Array(skeleton.global.length);
    multiply(m, 0, whole, 0, turn, 0);
    for (let o = 0; o < out.length; o += 16) multiply(out, o, m, 0, skeleton.global, o);
    return out;
  };
  const upOf = (m: Float64Array, role: HumanoidRole) => m[(roles.get(role) as number) * 16 + 13];
  const plain = moved(1, [0, 0, 0]),
    ankle: HumanoidRole = roles.has('leftFoot') ? 'leftFoot' : 'rightFoot';
  const wanted = (HEAD_OVER_ANKLE * height) / Math.max(1e-9, upOf(plain, 'head') - upOf(plain, ankle));
  const snapped = UNIT_RATIOS.find((ratio) => Math.abs(ratio / wanted - 1) < 0.12),
    scale = snapped ?? wanted;
  const scaled = moved(scale, [0, 0, 0]);
  // Feet that stand a hand above or below where ankles are: the skeleton has another floor.
  const low = upOf(scaled, ankle),
    y = low > 0.015 * height && low < 0.1 * height ? 0 : 0.05 * height - low;
  const middle = centre(voxels, scaled, y, roles);
  const global = moved(scale, [middle[0], y, middle[1]]);
  const standing = { ...skeleton, global };
  const arms = bestArms(standing, roles, voxels);
  return { global: arms.global, scale, arms: arms.degrees, inside: arms.inside };
}

/** The turn, of the 24 along the axes, that brings a skeleton's up and left nearest to +Y and +X. */
function upright(up: Vec3, left: Vec3): Float64Array {
  const snap = (v: Vec3, not?: Vec3): Vec3 => {
    const k = [0, 1, 2].filter((i) => !not || not[i] === 0).sort((a, b) => Math.abs(v[b]) - Math.abs(v[a]))[0];
    const out: Vec3 = [0, 0, 0];
    out[k] = Math.sign(v[k]) || 1;
    return out;
  };
  const y = snap(up),
    x = snap(left, y),
    z = cross(x, y),
    m = new Float64Array(16);
  // Rows are the axes: what pointed up becomes y.
  [x, y, z].forEach((axis, row) =>
    axis.forEach((value, column) => {
      m[column * 4 + row] = value;
    }),
  );
  m[15] = 1;
  return m;
}

/** How far the trunk's joints lie from the middle of the body about them, sideways and in depth. */
function centre(voxels: Voxels, global: Float64Array, y: number, roles: Roles): [number, number] {
  const {
    dims: [nx, ny, nz],
    solid,
    origin,
    size,
  } = voxels;
  let dx = 0,
    dz = 0,
    n = 0;
  for (const role of ['hips', 'spine', 'chest', 'upperChest'] as const) {
    const joint = roles.get(role);
    if (joint === undefined) continue;
    const p = [global[joint * 16 + 12], global[joint * 16 + 13] + y, global[joint * 16 + 14]],
      row = Math.floor((p[1] - origin[1]) / size);
    if (row < 0 || row >= ny) continue;
    let sx = 0,
      sz = 0,
      count = 0;
    for (let k = 0; k < nz; k++)
      for (let i = 0; i < nx; i++)
        if (solid[i + nx * (row + ny * k)]) {
          sx += i;
          sz += k;
          count++;
        }
    if (!count) continue;
    dx += origin[0] + (sx / count + 0.5) * size - p[0];
    dz += origin[2] + (sz / count + 0.5) * size - p[2];
    n++;
  }
  // A spine lies behind the middle of its body; what is near enough is meant so.
  const kept = (d: number, least: number) => (Math.abs(d) > least ? d : 0);
  return n ? [kept(dx / n, 0.015), kept(dz / n, 0.06)] : [0, 0];
}

const LIMB: readonly HumanoidRole[] = [
  'leftUpperArm',
  'leftLowerArm',
  'leftHand',
  'leftMiddleProximal',
  'leftMiddleDistal',
];

function bestArms(
  skeleton: Skeleton,
  roles: Roles,
  voxels: Voxels,
): { global: Float64Array; degrees: number; inside: number } {
  const posed = (raise: number, forward: number) =>
    poseByTurns(
      skeleton,
      new Map(
        (['left', 'right'] as const).flatMap((side): [number, Quat][] => {
          const joint = roles.get(`${side}UpperArm`);
          if (joint === undefined) return [];
          const s = side === 'left' ? 1 : -1;
          return [
            [
              joint,
              quatMultiply(
                quatFromAxis([0, 1, 0], (-s * forward * Math.PI) / 180),
                quatFromAxis([0, 0, 1], (s * raise * Math.PI) / 180),
              ),
            ],
          ];
        }),
      ),
    );
  const score = (global: Float64Array) => insideShare(global, roles, voxels);
  let best = { global: skeleton.global, raise: 0, forward: 0, inside: score(skeleton.global) };
  // The middle of the limb counts more than its rim: angles are weighed by how deep the arm lies, and stillness wins a tie.
  const look = (raise: number, forward: number) => {
    const global = posed(raise, forward),
      inside = score(global);
    if (inside > best.inside + 0.01) best = { global, raise, forward, inside };
  };
  for (let raise = -80; raise <= 80; raise += 5) look(raise, 0);
  const coarse = best.raise;
  for (let raise = coarse - 4; raise <= coarse + 4; raise++)
    for (let forward = -16; forward <= 16; forward += 4) look(raise, forward);
  return { global: best.global, degrees: best.raise, inside: best.inside };
}

/** Depth in the solid along both arms: the share of points that are inside together with all their six neighbours two voxels away, and half of it for those that just are inside. */
function insideShare(global: Float64Array, roles: Roles, voxels: Voxels): number {
  let sum = 0,
    n = 0;
  const { size, solid } = voxels,
    reach = 1.5 * size;
  for (const side of ['left', 'right'] as const) {
    const joints = LIMB.flatMap((role) => {
      const joint = roles.get(role.replace('left', side) as HumanoidRole);
      return joint === undefined ? [] : [joint];
    });
    for (let i = 1; i < joints.length; i++)
      for (let t = 0; t < 1; t += 0.1) {
        const p = [12, 13, 14].map((k) => global[joints[i - 1] * 16 + k] * (1 - t) + global[joints[i] * 16 + k] * t);
        n++;
        if (!solid[voxelAt(voxels, p[0], p[1], p[2])]) continue;
        let deep = 0;
        for (let k = 0; k < 3; k++)
          for (const s of [-1, 1])
            if (
              solid[
                voxelAt(
                  voxels,
                  p[0] + (k === 0 ? s * reach : 0),
                  p[1] + (k === 1 ? s * reach : 0),
                  p[2] + (k === 2 ? s * reach : 0),
                )
              ]
            )
              deep++;
        sum += 0.5 + deep / 12;
      }
  }
  return n ? sum / n : 0;
}
