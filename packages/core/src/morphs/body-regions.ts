import type { Document } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  influencesOf,
  isFingerRole,
  jointPosition,
  type Part,
} from '../character/index.ts';
import { jointRoles, roleIndex, type RoleFound } from '../rig/index.ts';

/** Regions of a person that morphs move and that people speak of. */
export const REGIONS = [
  'skull',
  'brow',
  'eyes',
  'nose',
  'cheeks',
  'mouth',
  'jaw',
  'ears',
  'neck',
  'torso',
  'arms',
  'hands',
  'legs',
  'feet',
] as const;
export type Region = (typeof REGIONS)[number];
export const FACE_REGIONS: readonly Region[] = ['brow', 'eyes', 'nose', 'cheeks', 'mouth', 'jaw'];

/** Region of each vertex of a figure at rest, by its place in {@link REGIONS}. */
export function bodyRegions(
  document: Document,
  deformer: Deformer = createDeformer(document, () => true, false),
  rest: Float32Array = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
): Uint8Array {
  const out = new Uint8Array(deformer.vertices),
    roles = jointRoles(document, deformer.skeleton),
    ofJoint = jointRegions(deformer, roles),
    face = faceFrame(deformer, roles, rest);
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const fixed = partRegion(part),
      skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim),
      joints = skin?.listJoints().map((joint) => ofJoint[deformer.skeleton.index.get(joint) ?? 0]);
    for (let v = 0; v < vertices; v++) {
      const at = firstVertex + v;
      if (fixed) {
        out[at] = REGIONS.indexOf(fixed);
        continue;
      }
      const by = influences && joints ? strongest(influences, joints, v) : 'head',
        region = by === 'head' ? headRegion(face, rest[at * 3], rest[at * 3 + 1], rest[at * 3 + 2]) : by;
      out[at] = REGIONS.indexOf(region);
    }
  }
  return out;
}

/** What a part is tells it, where it lies in one region whole. */
function partRegion({ kind, role }: Part): Region | null {
  if (['eye', 'cornea', 'tear', 'shade', 'lash'].includes(kind)) return 'eyes';
  if (kind === 'brow') return 'brow';
  if (['teeth', 'gums', 'tongue', 'lips'].includes(kind)) return 'mouth';
  if (kind === 'hair' || kind === 'scalp') return 'skull';
  if (kind === 'beard') return 'jaw';
  return role === 'hands' ? 'hands' : null;
}

type JointRegion = Exclude<Region, 'skull' | 'brow' | 'eyes' | 'nose' | 'cheeks' | 'mouth' | 'jaw' | 'ears'> | 'head';

function regionOfRole(role: string): JointRegion | null {
  if (isFingerRole(role) || role.endsWith('Hand')) return 'hands';
  if (/(UpperArm|LowerArm)$/.test(role)) return 'arms';
  if (/(UpperLeg|LowerLeg)$/.test(role)) return 'legs';
  if (/(Foot|Toes)$/.test(role)) return 'feet';
  if (/Shoulder$/.test(role) || ['hips', 'spine', 'chest', 'upperChest'].includes(role)) return 'torso';
  if (role === 'neck') return 'neck';
  return ['head', 'jaw', 'leftEye', 'rightEye', 'face', 'tongue'].includes(role) ? 'head' : null;
}

/** Region of each joint; one without a role of its own is its parent's. */
function jointRegions({ skeleton }: Deformer, roles: readonly RoleFound[]): JointRegion[] {
  const out: JointRegion[] = [];
  skeleton.joints.forEach((_, j) => {
    const above = skeleton.parent[j];
    out.push(regionOfRole(roles[j].role) ?? (above >= 0 ? out[above] : 'torso'));
  });
  return out;
}

function strongest(
  { perVertex, joints, weights }: NonNullable<ReturnType<typeof influencesOf>>,
  regionOf: readonly JointRegion[],
  v: number,
): JointRegion {
  let best = -1,
    most = 0;
  for (let k = v * perVertex; k < (v + 1) * perVertex; k++)
    if (weights[k] > most) {
      most = weights[k];
      best = k;
    }
  return best < 0 ? 'torso' : regionOf[joints[best]];
}

/** Where a face looks from: halfway between the eyes, and how far these are apart, metres. */
export interface FaceFrame {
  x: number;
  y: number;
  z: number;
  apart: number;
}
/** Eyes lie halfway up a head, and a bit over two fifths of its breadth apart (Farkas, Anthropometry of the Head and Face, 1994). */
const EYES_UP = 0.5,
  EYES_APART = 0.42;

export function faceFrame(
  { skeleton, ranges }: Deformer,
  found: readonly RoleFound[],
  rest: Float32Array,
): FaceFrame | null {
  const roles = roleIndex(found),
    [left, right] = [roles.get('leftEye'), roles.get('rightEye')];
  if (left !== undefined && right !== undefined) {
    const [a, b] = [jointPosition(skeleton, left), jointPosition(skeleton, right)],
      apart = Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
    if (apart > 0) return { x: (a[0] + b[0]) / 2, y: (a[1] + b[1]) / 2, z: (a[2] + b[2]) / 2, apart };
  }
  const eyes = boxOf(
    ranges.filter(({ part }) => part.kind === 'eye'),
    rest,
  );
  // A box over both eyeballs is as wide as they are apart and once an eyeball across.
  if (eyes && eyes.high[0] - eyes.low[0] > 1.6 * (eyes.high[1] - eyes.low[1]))
    return {
      x: (eyes.low[0] + eyes.high[0]) / 2,
      y: (eyes.low[1] + eyes.high[1]) / 2,
      z: (eyes.low[2] + eyes.high[2]) / 2,
      apart: eyes.high[0] - eyes.low[0] - (eyes.high[1] - eyes.low[1]),
    };
  const head = boxOf(
    ranges.filter(({ part }) => part.role === 'head'),
    rest,
  );
  if (!head) return null;
  return {
    x: (head.low[0] + head.high[0]) / 2,
    y: head.low[1] + (head.high[1] - head.low[1]) * EYES_UP,
    z: head.high[2] - (head.high[2] - head.low[2]) * 0.2,
    apart: (head.high[0] - head.low[0]) * EYES_APART,
  };
}

function boxOf(ranges: Deformer['ranges'], rest: Float32Array) {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (const { firstVertex, vertices } of ranges)
    for (let v = firstVertex; v < firstVertex + vertices; v++)
      for (let k = 0; k < 3; k++) {
        low[k] = Math.min(low[k], rest[v * 3 + k]);
        high[k] = Math.max(high[k], rest[v * 3 + k]);
      }
  return low[0] < Infinity ? { low, high } : null;
}

/** A place of the head in distances between the eyes, right, up and forward of the point between them. */
function headRegion(face: FaceFrame | null, px: number, py: number, pz: number): Region {
  if (!face) return 'skull';
  const x = Math.abs(px - face.x) / face.apart,
    y = (py - face.y) / face.apart,
    z = (pz - face.z) / face.apart;
  if (y < -2.15) return 'neck';
  if (x > 1 && z < -0.6 && z > -2.2 && y > -1 && y < 0.55) return 'ears';
  if (z < -0.75 || y > 0.95) return y < -0.9 ? 'jaw' : 'skull';
  if (y > 0.27) return 'brow';
  if (x < 0.33 && y > -0.85) return y > 0.1 && z < 0.1 ? 'brow' : 'nose';
  if (y > -0.42) return x < 1 ? 'eyes' : 'cheeks';
  if (x < 0.6 && y < -0.8 && y > -1.5) return 'mouth';
  return y < -1.15 ? 'jaw' : 'cheeks';
}
