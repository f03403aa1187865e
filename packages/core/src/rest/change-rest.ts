import type { Document } from '@gltf-transform/core';
import { bindWhereJointsStand, createDeformer, globalMatrix, readDossier, type Skeleton, skeletonOf, updateDossier } from '../character/index.ts';
import { decompose, emptyBounds, growBounds, invertAffine, multiply, quatAngle, quatConjugate, quatMultiply, type Quat } from '../geometry/index.ts';
import { poseByTurns } from '../skeleton/poses.ts';
import { bakeMotion, type BakeMethod } from './bake.ts';

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
export function changeRest(document: Document, turns: readonly Quat[], method: BakeMethod, skeleton: Skeleton = skeletonOf(document)): RestChange {
  const floorBefore = lowest(document);
  // Each joint's own share of the turn: what it adds to the joint above.
  const own = new Map<number, Quat>();
  turns.forEach((turn, j) => { const above = skeleton.parent[j] < 0 ? null : turns[skeleton.parent[j]]; own.set(j, above ? localTurn(above, turn) : turn); });
  const posed = poseByTurns(skeleton, new Map([...own].filter(([, turn]) => quatAngle(turn) > 1e-7)));
  const motion = new Float64Array(posed.length), inverse = new Float64Array(16);
  for (let o = 0; o < posed.length; o += 16) { invertAffine(inverse, 0, skeleton.global, o); multiply(motion, o, posed, o, inverse, 0); }
  const { stretch } = bakeMotion(document, motion, method, skeleton);
  carryFormer(document, skeleton, motion);
  const home = { ...readDossier(document).homePose }, moved = new Set<number>();
  skeleton.joints.forEach((joint, j) => {
    const above = joint.getParentNode(), local = new Float64Array(16);
    if (above) { invertAffine(inverse, 0, globalMatrix(above), 0); multiply(local, 0, inverse, 0, posed, j * 16); } else local.set(posed.subarray(j * 16, j * 16 + 16));
    const { translation, rotation } = decompose(local), t = joint.getTranslation(), r = joint.getRotation();
    if (translation.every((x, k) => Math.abs(x - t[k]) < 1e-7) && Math.abs(rotation[0] * r[0] + rotation[1] * r[1] + rotation[2] * r[2] + rotation[3] * r[3]) > 1 - 1e-12) return;
    moved.add(j);
    home[joint.getName()] ??= { t, r };
    joint.setTranslation(translation).setRotation(rotation);
  });
  rebind(document, posed, skeleton);
  holdStill(document, skeleton, moved, home);
  updateDossier(document, { homePose: home });
  settle(document, skeleton, floorBefore, home);
  return { mostDegrees: Math.max(0, ...turns.map((turn) => (quatAngle(turn) * 180) / Math.PI)), stretch, joints: moved.size };
}

/** Joints that this figure has no place for go on with the joint they lie under. */
function carryFormer(document: Document, skeleton: Skeleton, motion: Float64Array): void {
  const { formerJoints } = readDossier(document);
  if (!formerJoints) return;
  const at = new Map(skeleton.joints.map((joint, j) => [joint.getName(), j])), out = new Float64Array(16);
  updateDossier(document, { formerJoints: Object.fromEntries(Object.entries(formerJoints).map(([name, entry]) => { const j = at.get(entry.under); if (j === undefined || entry.rest.length !== 16) return [name, entry]; multiply(out, 0, motion, j * 16, entry.rest, 0); return [name, { ...entry, rest: Array.from(out) }]; })) });
}

/** Turns are whole, in the body's frame: what a joint adds to the one above. */
const localTurn = (above: Quat, turn: Quat): Quat => quatMultiply(quatConjugate(above), turn);

/** The mesh now holds what the joints did to it. */
function rebind(document: Document, posed: Float64Array, skeleton: Skeleton): void {
  for (const skin of document.getRoot().listSkins()) bindWhereJointsStand(document, skin, skeleton, posed);
}

/** A clip that leaves a joint alone meant the pose it had at rest; that is said now. */
function holdStill(document: Document, skeleton: Skeleton, moved: ReadonlySet<number>, home: Record<string, { t: number[]; r: number[] }>): void {
  for (const clip of document.getRoot().listAnimations()) {
    const channels = clip.listChannels();
    if (!channels.some((channel) => skeleton.index.has(channel.getTargetNode() as never))) continue;
    for (const j of moved) {
      const node = skeleton.joints[j], stand = home[node.getName()];
      for (const [path, value] of [['rotation', stand.r], ['translation', stand.t]] as const) {
        if (channels.some((channel) => channel.getTargetNode() === node && channel.getTargetPath() === path)) continue;
        const now = path === 'rotation' ? node.getRotation() : node.getTranslation();
        if (value.every((x, k) => Math.abs(x - now[k]) < 1e-7)) continue;
        const sampler = document.createAnimationSampler().setInput(document.createAccessor().setType('SCALAR').setArray(Float32Array.of(0))).setOutput(document.createAccessor().setType(path === 'rotation' ? 'VEC4' : 'VEC3').setArray(Float32Array.from(value))).setInterpolation('STEP');
        clip.addSampler(sampler).addChannel(document.createAnimationChannel().setTargetNode(node).setTargetPath(path).setSampler(sampler));
      }
    }
  }
}

function lowest(document: Document): number {
  const deformer = createDeformer(document);
  return deformer.vertices ? growBounds(emptyBounds(), deformer.evaluate(new Float32Array(deformer.vertices * 3))).min[1] : 0;
}

/** Legs that were turned leave the feet above or below the floor: the whole is moved so that its lowest point stays. */
function settle(document: Document, skeleton: Skeleton, floorBefore: number, home: Record<string, { t: number[]; r: number[] }>): void {
  const off = floorBefore - lowest(document);
  if (!(Math.abs(off) > 5e-4) || !Number.isFinite(off)) return;
  const roots = new Set(skeleton.joints.filter((_, j) => skeleton.parent[j] < 0).map((joint) => { let at = joint; for (let above = at.getParentNode(); above; above = above.getParentNode()) at = above; return at; }));
  for (const root of roots) {
    const [x, y, z] = root.getTranslation();
    home[root.getName()] ??= { t: [x, y, z], r: root.getRotation() };
    root.setTranslation([x, y + off, z]);
  }
  const raised = skeletonOf(document);
  follow(document, raised, off);
  updateDossier(document, { homePose: home });
}

/** Mesh and binds follow the joints up or down together. */
function follow(document: Document, skeleton: Skeleton, off: number): void {
  const lift = new Float64Array(skeleton.joints.length * 16);
  for (let o = 0; o < lift.length; o += 16) { lift[o] = lift[o + 5] = lift[o + 10] = lift[o + 15] = 1; lift[o + 13] = off; }
  const before = { ...skeleton, global: skeleton.global.map((value, i) => ((i & 15) === 13 ? value - off : value)) };
  bakeMotion(document, lift, 'forward', before);
  rebind(document, skeleton.global, skeleton);
}
