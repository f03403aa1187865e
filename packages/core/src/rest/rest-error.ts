import type { Document } from '@gltf-transform/core';
import {
  floatsOf,
  type HumanoidRole,
  influencesOf,
  inverseBindsOf,
  listParts,
  readDossier,
  type Skeleton,
} from '../character/index.ts';
import {
  compose,
  invertAffine,
  multiply,
  quatAngle,
  quatConjugate,
  quatMultiply,
  rotationOf,
  seededRandom,
  type Quat,
} from '../geometry/index.ts';
import { poseByTurns, poseSkeleton, RANGE_OF_MOTION, type BakeMethod } from '../rig/index.ts';

const SAMPLES = 3000;

/**
 * How far a character in a new rest pose would move from how it moves now, over the range-of-motion set, for both ways
 * of taking the mesh along: RMS in millimetres at seeded vertices. The poses are away from the present rest.
 */
export function restErrors(
  document: Document,
  turns: readonly Quat[],
  skeleton: Skeleton,
  roles: ReadonlyMap<HumanoidRole, number>,
): Record<BakeMethod, number> {
  const own = new Map<number, Quat>();
  turns.forEach((turn, j) =>
    own.set(j, skeleton.parent[j] < 0 ? turn : quatMultiply(quatConjugate(turns[skeleton.parent[j]]), turn)),
  );
  const back = motionOf(skeleton, poseByTurns(skeleton, own), true),
    there = motionOf(skeleton, poseByTurns(skeleton, own), false);
  const vertices = sample(document, skeleton);
  const poses = RANGE_OF_MOTION.map((pose) => {
    const moved = motionOf(skeleton, poseSkeleton(skeleton, roles, pose), false),
      through = new Float64Array(moved.length);
    for (let o = 0; o < moved.length; o += 16) multiply(through, o, moved, o, back, o);
    return { moved, through };
  });
  const sum = { exact: 0, forward: 0 };
  for (const vertex of vertices) {
    const places = { exact: solve(vertex, back), forward: blend(vertex, there, vertex.at) };
    for (const { moved, through } of poses) {
      const wanted = blend(vertex, moved, vertex.at);
      for (const method of ['exact', 'forward'] as const) {
        const got = blend(vertex, through, places[method]);
        sum[method] += (got[0] - wanted[0]) ** 2 + (got[1] - wanted[1]) ** 2 + (got[2] - wanted[2]) ** 2;
      }
    }
  }
  const rms = (value: number) => Math.sqrt(value / Math.max(1, vertices.length * poses.length)) * 1000;
  return { exact: rms(sum.exact), forward: rms(sum.forward) };
}

/** Whether these turns bring every joint back to the pose the character came in, within a degree. */
export function returnsHome(document: Document, turns: readonly Quat[], skeleton: Skeleton): boolean {
  const { homePose } = readDossier(document);
  if (!homePose) return false;
  const local = new Float64Array(16),
    global = new Float64Array(skeleton.joints.length * 16);
  return skeleton.joints.every((joint, j) => {
    const home = homePose[joint.getName()],
      parent = skeleton.parent[j];
    compose(local, 0, home?.t ?? joint.getTranslation(), home?.r ?? joint.getRotation(), joint.getScale());
    if (parent >= 0) multiply(global, j * 16, global, parent * 16, local, 0);
    else global.set(local, j * 16);
    const now = rotationOf(skeleton.global, j * 16),
      there = rotationOf(global, j * 16);
    return quatAngle(quatMultiply(quatConjugate(quatMultiply(turns[j], now)), there)) < Math.PI / 180;
  });
}

interface Vertex {
  at: readonly number[];
  joints: number[];
  weights: number[];
}

/** Weighted vertices at rest, in the body's frame, evenly over all parts. */
function sample(document: Document, skeleton: Skeleton): Vertex[] {
  const parts = listParts(document).filter((part) => part.node.getSkin()),
    total = parts.reduce((sum, part) => sum + part.vertices, 0),
    random = seededRandom(7),
    out: Vertex[] = [];
  for (const part of parts) {
    const skin = part.node.getSkin(),
      influences = influencesOf(part.prim),
      position = part.prim.getAttribute('POSITION');
    if (!skin || !influences || !position) continue;
    const at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0),
      binds = inverseBindsOf(skin),
      rest = new Float64Array(binds.length),
      points = floatsOf(position);
    at.forEach((joint, i) => multiply(rest, i * 16, skeleton.global, joint * 16, binds, i * 16));
    for (let n = Math.ceil((SAMPLES * part.vertices) / total); n > 0; n--) {
      const v = Math.floor(random() * part.vertices),
        vertex: Vertex = { at: [], joints: [], weights: [] },
        slots: number[] = [];
      let sum = 0;
      for (let k = v * influences.perVertex; k < (v + 1) * influences.perVertex; k++)
        if (influences.weights[k] > 0) {
          slots.push(influences.joints[k]);
          vertex.joints.push(at[influences.joints[k]]);
          vertex.weights.push(influences.weights[k]);
          sum += influences.weights[k];
        }
      if (!sum) continue;
      vertex.weights = vertex.weights.map((weight) => weight / sum);
      vertex.at = blend({ ...vertex, joints: slots }, rest, [points[v * 3], points[v * 3 + 1], points[v * 3 + 2]]);
      out.push(vertex);
    }
  }
  return out;
}

function motionOf(skeleton: Skeleton, posed: Float64Array, inverted: boolean): Float64Array {
  const out = new Float64Array(posed.length),
    inverse = new Float64Array(16);
  for (let o = 0; o < posed.length; o += 16) {
    invertAffine(inverse, 0, skeleton.global, o);
    multiply(out, o, posed, o, inverse, 0);
    if (inverted) {
      invertAffine(inverse, 0, out, o);
      out.set(inverse, o);
    }
  }
  return out;
}

function blended({ joints, weights }: Vertex, matrices: Float64Array): Float64Array {
  const m = new Float64Array(16);
  joints.forEach((joint, k) => {
    for (let i = 0; i < 16; i++) m[i] += weights[k] * matrices[joint * 16 + i];
  });
  return m;
}
const apply = (m: Float64Array, [x, y, z]: readonly number[]): number[] =>
  [0, 1, 2].map((r) => m[r] * x + m[4 + r] * y + m[8 + r] * z + m[12 + r]);
const blend = (vertex: Vertex, matrices: Float64Array, at: readonly number[]): number[] =>
  apply(blended(vertex, matrices), at);
function solve(vertex: Vertex, matrices: Float64Array): number[] {
  const inverse = new Float64Array(16);
  return invertAffine(inverse, 0, blended(vertex, matrices), 0) ? apply(inverse, vertex.at) : [...vertex.at];
}
