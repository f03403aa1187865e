import type { Document } from '@gltf-transform/core';
import {
  addChannel,
  bindWhereJointsStand,
  readDossier,
  type Skeleton,
  skeletonOf,
  updateDossier,
} from '../character/index.ts';
import { multiply, quatAngle, type Quat } from '../geometry/index.ts';
import { bakeMotion, type BakeMethod, motionFrom } from '../rig/index.ts';
import { lowest, offTheFloor, raise, type Stand, standJoints, turnedJoints } from './stand-joints.ts';

export interface RestChange {
  /** Largest turn of any joint, degrees. */
  mostDegrees: number;
  /** Volume ratio of the most stretched vertex. */
  stretch: number;
  joints: number;
}

/**
 * Gives a character another rest pose: joints turned as `turns` say (whole turns away from the present rest, per
 * joint), the mesh, its morphs and the binds with them; clips play what they played. The pose it came in is kept as
 * its home. Changes `document`.
 */
export function changeRest(
  document: Document,
  turns: readonly Quat[],
  method: BakeMethod,
  skeleton: Skeleton = skeletonOf(document),
): RestChange {
  const floorBefore = lowest(document);
  const posed = turnedJoints(skeleton, turns);
  const motion = motionFrom(skeleton, posed);
  const { stretch } = bakeMotion(document, motion, method, skeleton);
  carryFormer(document, skeleton, motion);
  const home = { ...readDossier(document).homePose },
    moved = standJoints(skeleton, posed);
  for (const [j, stood] of moved) home[skeleton.joints[j].getName()] ??= stood;
  rebind(document, posed, skeleton);
  holdStill(document, skeleton, moved, home);
  updateDossier(document, { homePose: home });
  settle(document, skeleton, floorBefore, home);
  return {
    mostDegrees: Math.max(0, ...turns.map((turn) => (quatAngle(turn) * 180) / Math.PI)),
    stretch,
    joints: moved.size,
  };
}

/** Joints that this figure has no place for go on with the joint they lie under. */
function carryFormer(document: Document, skeleton: Skeleton, motion: Float64Array): void {
  const { formerJoints } = readDossier(document);
  if (!formerJoints) return;
  const at = new Map(skeleton.joints.map((joint, j) => [joint.getName(), j])),
    out = new Float64Array(16);
  updateDossier(document, {
    formerJoints: Object.fromEntries(
      Object.entries(formerJoints).map(([name, entry]) => {
        const j = at.get(entry.under);
        if (j === undefined || entry.rest.length !== 16) return [name, entry];
        multiply(out, 0, motion, j * 16, entry.rest, 0);
        return [name, { ...entry, rest: Array.from(out) }];
      }),
    ),
  });
}

/** The mesh now holds what the joints did to it. */
function rebind(document: Document, posed: Float64Array, skeleton: Skeleton): void {
  for (const skin of document.getRoot().listSkins()) bindWhereJointsStand(document, skin, skeleton, posed);
}

/** A clip that leaves a joint alone meant the pose it had at rest; that is said now. */
function holdStill(
  document: Document,
  skeleton: Skeleton,
  moved: ReadonlyMap<number, Stand>,
  home: Record<string, Stand>,
): void {
  for (const clip of document.getRoot().listAnimations()) {
    const channels = clip.listChannels();
    if (!channels.some((channel) => skeleton.index.has(channel.getTargetNode() as never))) continue;
    for (const j of moved.keys()) {
      const node = skeleton.joints[j],
        stand = home[node.getName()];
      for (const [path, value] of [
        ['rotation', stand.r],
        ['translation', stand.t],
      ] as const) {
        if (channels.some((channel) => channel.getTargetNode() === node && channel.getTargetPath() === path)) continue;
        const now = path === 'rotation' ? node.getRotation() : node.getTranslation();
        if (value.every((x, k) => Math.abs(x - now[k]) < 1e-7)) continue;
        addChannel(
          document,
          clip,
          node,
          path,
          document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0)),
          Float32Array.from(value),
          'STEP',
        );
      }
    }
  }
}

/** Legs that were turned leave the feet above or below the floor: the whole is moved so that its lowest point stays. */
function settle(document: Document, skeleton: Skeleton, floorBefore: number, home: Record<string, Stand>): void {
  const off = floorBefore - lowest(document);
  if (!offTheFloor(off)) return;
  for (const [root, stood] of raise(skeleton, off)) home[root.getName()] ??= stood;
  const raised = skeletonOf(document);
  follow(document, raised, off);
  updateDossier(document, { homePose: home });
}

/** Mesh and binds follow the joints up or down together. */
function follow(document: Document, skeleton: Skeleton, off: number): void {
  const lift = new Float64Array(skeleton.joints.length * 16);
  for (let o = 0; o < lift.length; o += 16) {
    lift[o] = lift[o + 5] = lift[o + 10] = lift[o + 15] = 1;
    lift[o + 13] = off;
  }
  const before = { ...skeleton, global: skeleton.global.map((value, i) => ((i & 15) === 13 ? value - off : value)) };
  bakeMotion(document, lift, 'forward', before);
  rebind(document, skeleton.global, skeleton);
}
