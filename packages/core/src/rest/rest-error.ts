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
import { motionFrom, poseByTurns, poseSkeleton, RANGE_OF_MOTION, type BakeMethod } from '../rig/index.ts';

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
  const there = motionFrom(skeleton, poseByTurns(skeleton, own)),
    back = inverted(there);
  const drawn = sample(document, skeleton),
    count = drawn.first.length - 1,
    exact = new Float64Array(count * 3),
    forward = new Float64Array(count * 3);
  for (let v = 0; v < count; v++) {
    blend(drawn, v, back);
    if (invertAffine(inverse, 0, matrix, 0)) apply(exact, inverse, drawn.at, v * 3);
    else for (let k = v * 3; k < v * 3 + 3; k++) exact[k] = drawn.at[k];
  }
  for (let v = 0; v < count; v++) {
    blend(drawn, v, there);
    apply(forward, matrix, drawn.at, v * 3);
  }
  const sum = { exact: 0, forward: 0 },
    wanted = new Float64Array(count * 3),
    got = new Float64Array(count * 3);
  const offBy = (places: Float64Array, i: number): number => {
    apply(got, matrix, places, i);
    return (got[i] - wanted[i]) ** 2 + (got[i + 1] - wanted[i + 1]) ** 2 + (got[i + 2] - wanted[i + 2]) ** 2;
  };
  for (const pose of RANGE_OF_MOTION) {
    const moved = motionFrom(skeleton, poseSkeleton(skeleton, roles, pose)),
      through = new Float64Array(moved.length);
    for (let o = 0; o < moved.length; o += 16) multiply(through, o, moved, o, back, o);
    for (let v = 0; v < count; v++) {
      blend(drawn, v, moved);
      apply(wanted, matrix, drawn.at, v * 3);
      blend(drawn, v, through);
      sum.exact += offBy(exact, v * 3);
      sum.forward += offBy(forward, v * 3);
    }
  }
  const rms = (value: number) => Math.sqrt(value / Math.max(1, count * RANGE_OF_MOTION.length)) * 1000;
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

/** Drawn vertices: where they stand at rest in the body's frame, and the joints (of the skeleton) and weights of each, from `first[v]` to `first[v + 1]`. */
interface Drawn {
  at: Float64Array;
  first: Uint32Array;
  joints: Uint32Array;
  weights: Float64Array;
}

/** Weighted vertices, evenly over all parts. */
function sample(document: Document, skeleton: Skeleton): Drawn {
  const parts = listParts(document).filter((part) => part.node.getSkin()),
    total = parts.reduce((sum, part) => sum + part.vertices, 0),
    random = seededRandom(7),
    places: number[] = [],
    first = [0],
    drawnJoints: number[] = [],
    drawnWeights: number[] = [];
  for (const part of parts) {
    const skin = part.node.getSkin(),
      influences = influencesOf(part.prim),
      position = part.prim.getAttribute('POSITION');
    if (!skin || !influences || !position) continue;
    const { joints, weights, perVertex } = influences,
      at = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? 0),
      binds = inverseBindsOf(skin),
      rest = new Float64Array(binds.length),
      points = floatsOf(position);
    at.forEach((joint, i) => multiply(rest, i * 16, skeleton.global, joint * 16, binds, i * 16));
    for (let n = Math.ceil((SAMPLES * part.vertices) / total); n > 0; n--) {
      const v = Math.floor(random() * part.vertices),
        end = (v + 1) * perVertex;
      let sum = 0;
      for (let k = v * perVertex; k < end; k++) sum += Math.max(0, weights[k]);
      if (!sum) continue;
      matrix.fill(0);
      for (let k = v * perVertex; k < end; k++) {
        if (!(weights[k] > 0)) continue;
        drawnJoints.push(at[joints[k]]);
        drawnWeights.push(weights[k] / sum);
        addScaled(rest, joints[k] * 16, weights[k] / sum);
      }
      first.push(drawnJoints.length);
      apply(point, matrix, points.subarray(v * 3, v * 3 + 3), 0);
      places.push(point[0], point[1], point[2]);
    }
  }
  return {
    at: Float64Array.from(places),
    first: Uint32Array.from(first),
    joints: Uint32Array.from(drawnJoints),
    weights: Float64Array.from(drawnWeights),
  };
}

/** The ways back of a motion: the inverse of each joint's. */
function inverted(motion: Float64Array): Float64Array {
  const out = new Float64Array(motion.length);
  for (let o = 0; o < motion.length; o += 16) invertAffine(out, o, motion, o);
  return out;
}

const matrix = new Float64Array(16),
  inverse = new Float64Array(16),
  point = new Float64Array(3);

function addScaled(matrices: Float64Array, m: number, w: number): void {
  for (let i = 0; i < 16; i++) matrix[i] += w * matrices[m + i];
}

/** Leaves in `matrix` what the joints of a vertex do to it together. */
function blend({ first, joints, weights }: Drawn, v: number, matrices: Float64Array): void {
  matrix.fill(0);
  for (let k = first[v]; k < first[v + 1]; k++) addScaled(matrices, joints[k] * 16, weights[k]);
}

function apply(out: Float64Array, m: Float64Array, at: Float32Array | Float64Array, i: number): void {
  const x = at[i],
    y = at[i + 1],
    z = at[i + 2];
  for (let r = 0; r < 3; r++) out[i + r] = m[r] * x + m[4 + r] * y + m[8 + r] * z + m[12 + r];
}
