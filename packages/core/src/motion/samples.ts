import { Document, type Node } from '@gltf-transform/core';
import { type HumanoidRole, jointPosition, skeletonOf, updateDossier, type Skeleton } from '../character/index.ts';
import { quatConjugate, quatFromAxis, quatMultiply, quatRotate, type Quat, type Vec3 } from '../geometry/index.ts';
import { makeSkin } from '../formats/index.ts';
import { poseByTurns, writeClip } from '../rig/index.ts';
import { NEUTRAL_PLACES } from '../targets/index.ts';
import { levelled, reach } from './leg.ts';

/** The sample motions' own skeleton: other names and parents than either figure's, arms at the sides, 24 frames a second. */
const JOINTS: readonly [name: string, role: HumanoidRole, parent: string | null][] = [
  ['mo_pelvis', 'hips', null],
  ['mo_back', 'spine', 'mo_pelvis'],
  ['mo_chest', 'upperChest', 'mo_back'],
  ['mo_throat', 'neck', 'mo_chest'],
  ['mo_skull', 'head', 'mo_throat'],
  ...(['left', 'right'] as const).flatMap((side): [string, HumanoidRole, string][] => {
    const s = side === 'left' ? 'port' : 'starboard';
    return [
      [`mo_${s}_yoke`, `${side}Shoulder`, 'mo_chest'],
      [`mo_${s}_upper`, `${side}UpperArm`, `mo_${s}_yoke`],
      [`mo_${s}_fore`, `${side}LowerArm`, `mo_${s}_upper`],
      [`mo_${s}_hand`, `${side}Hand`, `mo_${s}_fore`],
      [`mo_${s}_knuckle`, `${side}MiddleProximal`, `mo_${s}_hand`],
      [`mo_${s}_hip`, `${side}UpperLeg`, 'mo_pelvis'],
      [`mo_${s}_knee`, `${side}LowerLeg`, `mo_${s}_hip`],
      [`mo_${s}_ankle`, `${side}Foot`, `mo_${s}_knee`],
      [`mo_${s}_ball`, `${side}Toes`, `mo_${s}_ankle`],
    ];
  }),
];
const FRAMES_PER_SECOND = 24;

/** Where a person is at one moment: how the pelvis moved, turns of single joints, and where the feet are put. */
interface Moment {
  pelvis?: Vec3;
  turns?: Partial<Record<HumanoidRole, Quat>>;
  /** From where the foot rests; pitch lifts the heel, degrees. */
  feet?: Partial<Record<'left' | 'right', { at: Vec3; pitch?: number }>>;
}
interface Motion {
  name: string;
  seconds: number;
  at(t: number): Moment;
}

const X: Vec3 = [1, 0, 0],
  Y: Vec3 = [0, 1, 0],
  Z: Vec3 = [0, 0, 1];
const turn = (axis: Vec3, degrees: number): Quat => quatFromAxis(axis, (degrees * Math.PI) / 180);
const both = (a: Quat, b: Quat): Quat => quatMultiply(a, b);
const wave = (t: number, shift = 0): number => Math.sin(2 * Math.PI * (t + shift));
/** 0 … 1 … 0 over a phase, flat at both ends. */
const hump = (t: number): number => Math.sin(Math.PI * Math.max(0, Math.min(1, t))) ** 2;
const ease = (t: number): number => {
  const u = Math.max(0, Math.min(1, t));
  return u * u * (3 - 2 * u);
};

/** One foot over a stride: on the ground and carried back for `stance` of it, then lifted and brought forward. */
function stepAt(phase: number, stride: number, lift: number, stance: number): { at: Vec3; pitch: number } {
  const p = ((phase % 1) + 1) % 1;
  if (p < stance) return { at: [0, 0, stride * (0.5 - p / stance)], pitch: 22 * ease((p / stance - 0.75) * 4) };
  const u = (p - stance) / (1 - stance);
  return {
    at: [0, lift * Math.sin(Math.PI * u), stride * (ease(u) - 0.5)],
    pitch: 22 * (1 - ease(u * 2)) - 12 * hump((u - 0.5) * 2),
  };
}

function gait(
  name: string,
  seconds: number,
  stride: number,
  lift: number,
  stance: number,
  lean: number,
  swing: number,
  bounce: number,
): Motion {
  const cycles = 2;
  return {
    name,
    seconds: seconds * cycles,
    at(t) {
      const phase = (t / seconds) % 1,
        speed = stride / stance / seconds;
      return {
        pelvis: [
          0.012 * wave(phase),
          -bounce - 0.02 + bounce * Math.cos(4 * Math.PI * (phase - stance / 4)),
          speed * t,
        ],
        feet: {
          left: moved(stepAt(phase, stride, lift, stance), speed * t),
          right: moved(stepAt(phase + 0.5, stride, lift, stance), speed * t),
        },
        turns: {
          hips: turn(Y, -6 * wave(phase, 0.25)),
          spine: both(turn(X, lean), turn(Y, 6 * wave(phase, 0.25))),
          upperChest: turn(Y, 5 * wave(phase, 0.25)),
          head: turn(X, -lean * 0.7),
          leftUpperArm: turn(X, swing * wave(phase, 0.25)),
          rightUpperArm: turn(X, -swing * wave(phase, 0.25)),
          leftLowerArm: turn(X, -(15 + swing * 0.9 + swing * 0.4 * wave(phase, 0.75))),
          rightLowerArm: turn(X, -(15 + swing * 0.9 - swing * 0.4 * wave(phase, 0.75))),
        },
      };
    },
  };
}
const moved = (foot: { at: Vec3; pitch: number }, z: number) => ({
  at: [foot.at[0], foot.at[1], foot.at[2] + z] as Vec3,
  pitch: foot.pitch,
});

const MOTIONS: readonly Motion[] = [
  gait('Walk', 1.1, 0.72, 0.09, 0.62, 2, 22, 0.018),
  gait('Run', 0.7, 1.05, 0.2, 0.38, 9, 42, 0.035),
  {
    name: 'Climb a ladder',
    seconds: 3.2,
    at(t) {
      const phase = t / 1.6,
        rung = 0.28,
        half = Math.floor(phase * 2),
        u = phase * 2 - half,
        rise = ease(u),
        even = half % 2 === 0;
      const height = (n: number) => n * rung * 0.5,
        foot = (mine: boolean, other: number) => ({
          at: [0, height(half + (mine ? rise * 2 : 0)) + (other + 0.04) * rung, 0.16] as Vec3,
          pitch: 8,
        });
      const arm = (mine: boolean) => turn(X, -(mine ? 105 + 45 * rise : 150 - 45 * rise));
      return {
        pelvis: [0.015 * (even ? 1 : -1) * hump(u), height(half + rise) - 0.06, -0.06],
        feet: { left: foot(even, even ? 0 : 1), right: foot(!even, even ? 1 : 0) },
        turns: {
          spine: turn(X, 8),
          head: turn(X, -20),
          leftUpperArm: arm(!even),
          rightUpperArm: arm(even),
          leftLowerArm: turn(X, even ? -40 : -80 + 40 * rise),
          rightLowerArm: turn(X, even ? -80 + 40 * rise : -40),
          leftHand: turn(X, -20),
          rightHand: turn(X, -20),
        },
      };
    },
  },
  {
    name: 'Wave in',
    seconds: 3,
    at(t) {
      const up = ease(t * 2) * ease((3 - t) * 2),
        beat = wave(t * 1.4);
      return {
        pelvis: [0.01 * wave(t / 3), -0.005, 0],
        feet: { left: { at: [0, 0, 0] }, right: { at: [0, 0, 0] } },
        turns: {
          spine: turn(Z, 2 * up),
          rightUpperArm: both(turn(Z, -118 * up), turn(X, 12 * beat * up)),
          rightLowerArm: both(turn(Z, (-34 + 26 * beat) * up), turn(X, -18 * up)),
          leftUpperArm: both(turn(Z, 62 * up), turn(X, -20 * up)),
          leftLowerArm: turn(X, -(70 + 30 * beat) * up),
          head: turn(Y, -14 * up),
        },
      };
    },
  },
  {
    name: 'Lift',
    seconds: 3.6,
    at(t) {
      const down = ease(t / 1.2) * (1 - ease((t - 1.7) / 1.3)),
        held = ease((t - 1.2) / 0.4);
      return {
        pelvis: [0, -0.34 * down - 0.005, -0.12 * down],
        feet: { left: { at: [0.03, 0, 0.05] }, right: { at: [-0.03, 0, -0.02] } },
        turns: {
          hips: turn(X, 22 * down),
          spine: turn(X, 20 * down),
          upperChest: turn(X, 8 * down),
          head: turn(X, -22 * down),
          leftUpperArm: turn(X, -(48 * down + 22 * held * (1 - down))),
          rightUpperArm: turn(X, -(48 * down + 22 * held * (1 - down))),
          leftLowerArm: turn(X, -(18 * down + 82 * held * (1 - down))),
          rightLowerArm: turn(X, -(18 * down + 82 * held * (1 - down))),
        },
      };
    },
  },
  {
    name: 'Look around',
    seconds: 4,
    at(t) {
      const way = wave(t / 4),
        up = wave(t / 2);
      return {
        pelvis: [0.012 * way, -0.006, 0],
        feet: { left: { at: [0, 0, 0] }, right: { at: [0, 0, 0] } },
        turns: {
          spine: turn(Y, 10 * way),
          upperChest: turn(Y, 12 * way),
          neck: turn(Y, 16 * way),
          head: both(turn(Y, 26 * way), turn(X, 9 * up)),
          leftUpperArm: turn(Z, 5),
          rightUpperArm: turn(Z, -5),
        },
      };
    },
  },
  {
    name: 'Idle',
    seconds: 4,
    at(t) {
      const breath = wave(t / 4),
        sway = wave(t / 4, 0.2);
      return {
        pelvis: [0.014 * sway, -0.006, 0.003 * breath],
        feet: { left: { at: [0.02, 0, 0] }, right: { at: [-0.02, 0, 0.03] } },
        turns: {
          spine: turn(X, 1.2 * breath),
          upperChest: turn(X, -1.6 * breath),
          head: both(turn(Y, 4 * sway), turn(X, 1 * breath)),
          leftUpperArm: both(turn(Z, 6), turn(X, 2 * breath)),
          rightUpperArm: both(turn(Z, -6), turn(X, 2 * breath)),
          leftLowerArm: turn(X, -12),
          rightLowerArm: turn(X, -14),
        },
      };
    },
  },
];
export const SAMPLE_MOTIONS: readonly string[] = MOTIONS.map((motion) => motion.name);

/** Global joint matrices of a moment, legs solved by inverse kinematics. */
function stand(
  skeleton: Skeleton,
  at: ReadonlyMap<HumanoidRole, number>,
  { pelvis = [0, 0, 0], turns = {}, feet = {} }: Moment,
): Float64Array {
  const own = new Map<number, Quat>();
  for (const [role, q] of Object.entries(turns)) {
    const joint = at.get(role as HumanoidRole);
    if (joint !== undefined) own.set(joint, q);
  }
  const place = (role: string): Vec3 => jointPosition(skeleton, at.get(role as HumanoidRole) as number),
    hips = place('hips'),
    turned: Quat = turns.hips ?? [0, 0, 0, 1];
  for (const side of ['left', 'right'] as const) {
    const foot = feet[side];
    if (!foot) continue;
    const rest = place(`${side}Foot`),
      goal: Vec3 = [0, 1, 2].map((k) => rest[k] + foot.at[k] - pelvis[k] - hips[k]) as Vec3,
      back = quatConjugate(turned);
    // The ankle is lifted when the heel is: it turns about the ball of the foot.
    const ball = place(`${side}Toes`),
      pitch = ((foot.pitch ?? 0) * Math.PI) / 180,
      arm = [rest[1] - ball[1], rest[2] - ball[2]];
    goal[1] += arm[0] * Math.cos(pitch) - arm[1] * Math.sin(pitch) - arm[0];
    goal[2] += arm[0] * Math.sin(pitch) + arm[1] * Math.cos(pitch) - arm[1];
    const there = quatRotate(back, goal).map((v, k) => v + hips[k]) as Vec3;
    const { upper, lower } = reach(
      place(`${side}UpperLeg`),
      place(`${side}LowerLeg`),
      rest,
      there,
      quatRotate(back, [side === 'left' ? 0.12 : -0.12, 0, 1]),
    );
    own.set(at.get(`${side}UpperLeg`) as number, upper);
    own.set(at.get(`${side}LowerLeg`) as number, lower);
    own.set(
      at.get(`${side}Foot`) as number,
      quatMultiply(levelled(quatMultiply(turned, upper), lower), quatFromAxis(X, pitch)),
    );
    own.set(at.get(`${side}Toes`) as number, quatFromAxis(X, -Math.max(0, pitch)));
  }
  const posed = poseByTurns(skeleton, own);
  for (let o = 0; o < posed.length; o += 16) for (let k = 0; k < 3; k++) posed[o + 12 + k] += pelvis[k];
  return posed;
}

/** Frames of one sample motion on its own skeleton. */
export function sampleFrames(name: string): { document: Document; frames: Float64Array[]; frameSeconds: number } {
  const { document, skeleton, at } = makeSkeleton(),
    motion = MOTIONS.find((entry) => entry.name === name) ?? MOTIONS[0];
  return {
    document,
    frames: Array.from({ length: Math.round(motion.seconds * FRAMES_PER_SECOND) + 1 }, (_, f) =>
      stand(skeleton, at, motion.at(f / FRAMES_PER_SECOND)),
    ),
    frameSeconds: 1 / FRAMES_PER_SECOND,
  };
}

function makeSkeleton(): { document: Document; skeleton: Skeleton; at: Map<HumanoidRole, number> } {
  const document = new Document(),
    scene = document.createScene(),
    nodes = new Map<string, { node: Node; at: Vec3 }>();
  document.createBuffer();
  for (const [name, role, parent] of JOINTS) {
    const place = NEUTRAL_PLACES[role],
      above = parent === null ? null : nodes.get(parent),
      node = document.createNode(name).setTranslation([0, 1, 2].map((k) => place[k] - (above?.at[k] ?? 0)) as Vec3);
    (above?.node ?? scene).addChild(node);
    nodes.set(name, { node, at: place });
  }
  makeSkin(
    document,
    'sample motions',
    [...nodes.values()].map((entry) => entry.node),
  );
  updateDossier(document, { declaredRoles: Object.fromEntries(JOINTS.map(([name, role]) => [name, role])) });
  const skeleton = skeletonOf(document);
  return {
    document,
    skeleton,
    at: new Map(JOINTS.map(([name, role]) => [role, skeleton.joints.findIndex((joint) => joint.getName() === name)])),
  };
}

/** All sample motions as clips of one document: walking, running, climbing, waving in, lifting, looking, standing. Made by code, the same every time. */
export function sampleMotions(): Document {
  const { document, skeleton, at } = makeSkeleton();
  for (const motion of MOTIONS) {
    const clip = document.createAnimation(motion.name),
      times = Float32Array.from(
        { length: Math.round(motion.seconds * FRAMES_PER_SECOND) + 1 },
        (_, f) => f / FRAMES_PER_SECOND,
      ),
      frames = Array.from(times, (time) => stand(skeleton, at, motion.at(time)));
    writeClip(
      document,
      { clip, times, interpolation: 'LINEAR', global: () => new Float64Array(0) },
      new Set(),
      skeleton.joints.map((node, j) => ({ node, parent: skeleton.parent[j] })),
      (j, time, out) => {
        out.set(frames[time].subarray(j * 16, j * 16 + 16));
        return true;
      },
    );
  }
  return document;
}
