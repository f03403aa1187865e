import type { Document, Node, Skin } from '@gltf-transform/core';
import * as v from 'valibot';
import {
  bindWhereJointsStand,
  createDeformer,
  floatsOf,
  type HumanoidRole,
  isHumanoidRole,
  jointPosition,
  listParts,
  nodesParentsFirst,
  readDossier,
  skeletonOf,
  trianglesOf,
  updateDossier,
  type Part,
  type Skeleton,
} from '../character/index.ts';
import {
  compose,
  decompose,
  emptyBounds,
  growBounds,
  invertAffine,
  multiply,
  rotationOf,
  vertexNormals,
} from '../geometry/index.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { jointRoles, roleIndex, type RoleFound } from '../skeleton/roles.ts';
import { poseSkeleton, RANGE_OF_MOTION } from '../skeleton/poses.ts';
import { sampleClips, writeClip } from '../skeleton/sample-clips.ts';
import { defineStep } from '../step.ts';
import { bindThroughVoxels, type Bone, firstAtPlace } from './bind-voxels.ts';
import { fitSkeleton, type SkeletonFit } from './fit-skeleton.ts';
import { bakePlaces } from './bake-places.ts';
import { voxelise } from './voxels.ts';
import { findMouth, jawShares } from './mouth.ts';
import { type Limb, limbOf, limbsOf, WORN } from './worn.ts';
import { writeInfluences } from './write.ts';

/** Voxels along a figure's height: about a centimetre and a quarter for an adult. */
const ACROSS = 144;

export const bindStep = defineStep({
  id: 'weights.bind',
  station: 'weights',
  title: 'Bind mesh and skeleton',
  version: 4,
  needs: ['I8', 'K6'],
  settings: v.object({
    /** How fast a joint's influence falls with distance: low is soft, high is stiff. */
    falloff: v.optional(v.pipe(v.number(), v.minValue(2), v.maxValue(12)), 6),
    influences: v.optional(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(16)), 8),
  }),
  reads: () => null,
  applies: (document) => looseJoints(document).length > 0,
  async run(document, settings, _target, context) {
    const findings: Finding[] = [],
      nodes = looseJoints(document),
      skin = document.createSkin('skin');
    for (const node of nodes) skin.addJoint(node);
    const skeleton = skeletonOf(document),
      roles = jointRoles(document, skeleton),
      parts = listParts(document).filter((part) => !part.node.getSkin() && part.triangles);
    const free = bakePlaces(document, parts);
    const body = gatherBody(parts),
      bounds = growBounds(emptyBounds(), body.positions),
      height = bounds.max[1] - bounds.min[1];
    context.progress(0.05, 'measuring the body');
    const voxels = voxelise(body.positions, body.indices, ACROSS),
      fit = fitSkeleton(skeleton, roleIndex(roles), voxels, height);
    if (!fit) {
      skin.dispose();
      findings.push({
        code: 'weights.no-fit',
        severity: 'error',
        message:
          "The skeleton that came apart from the mesh can't be placed in it: hips, head or legs were not recognised in it. Send the figure with its skeleton in one file.",
        repair: 'weights.bind',
      });
      return { measures: [], findings };
    }
    placeSkeleton(document, skeleton, fit);
    const placed = skeletonOf(document),
      { bones, joints } = bonesOf(placed, roles, height);
    throwIfAborted(context.signal);
    const influences = bindThroughVoxels(body.positions, body.indices, bones, {
      across: ACROSS,
      falloff: settings.falloff,
      most: settings.influences,
      allowed: gate(placed, roles, bones, body, height, joints),
      progress: (share) => context.progress(0.1 + 0.7 * share, 'measuring distances through the body'),
    });
    for (let k = 0; k < influences.joints.length; k++) influences.joints[k] = joints[influences.joints[k]];
    bindSkin(document, skin, placed);
    for (const { part, first, count } of body.ranges) {
      const own = {
        perVertex: influences.perVertex,
        joints: influences.joints.slice(first * influences.perVertex, (first + count) * influences.perVertex),
        weights: influences.weights.slice(first * influences.perVertex, (first + count) * influences.perVertex),
      };
      followWhole(part, own, placed, roles);
      writeInfluences(document, part.prim, own);
      free.get(part)?.setSkin(skin);
    }
    updateDossier(document, { apart: undefined });
    context.progress(0.85, 'bending to judge');
    const judged = judge(document);
    if (fit.arms)
      findings.push({
        code: 'weights.arms-fitted',
        severity: 'info',
        message: `The skeleton's arms were turned ${Math.abs(fit.arms)}° ${fit.arms > 0 ? 'up' : 'down'} to lie in the mesh.`,
        measured: Math.abs(fit.arms),
      });
    if (fit.inside < 0.6)
      findings.push({
        code: 'weights.poor-fit',
        severity: 'warning',
        message: `Only ${Math.round(fit.inside * 100)} % of the arms' length lies inside the mesh: look at the elbows and hands when they bend.`,
        measured: Math.round(fit.inside * 100),
        limit: 60,
      });
    return {
      measures: [
        { name: 'parts bound', unit: '', source: 0, result: parts.length },
        { name: 'scale of the skeleton', unit: '×', source: 1, result: fit.scale },
        { name: 'arms raised', unit: '°', source: 0, result: fit.arms },
        { name: 'edges over twice as long in the worst pose', unit: '%', source: 0, result: judged },
      ],
      findings,
    };
  },
});

/** Joints of a skeleton that came without a mesh, parents first. */
function looseJoints(document: Document): Node[] {
  const { apart } = readDossier(document);
  if (
    !apart ||
    document
      .getRoot()
      .listNodes()
      .some((node) => node.getMesh() && node.getSkin())
  )
    return [];
  const roots = new Set(apart.roots),
    all = nodesParentsFirst(document),
    inside = new Set<Node>();
  for (const node of all) {
    const parent = node.getParentNode();
    if ((roots.has(node.getName()) && !node.getMesh()) || (parent && inside.has(parent))) inside.add(node);
  }
  return all.filter((node) => inside.has(node));
}

function gatherBody(parts: readonly Part[]): {
  positions: Float32Array;
  indices: Uint32Array;
  ranges: { part: Part; first: number; count: number }[];
} {
  const total = parts.reduce((sum, part) => sum + part.vertices, 0),
    positions = new Float32Array(total * 3),
    lists: Uint32Array[] = [],
    ranges: { part: Part; first: number; count: number }[] = [];
  let first = 0;
  for (const part of parts) {
    const position = part.prim.getAttribute('POSITION');
    if (!position) continue;
    positions.set(floatsOf(position), first * 3);
    lists.push(trianglesOf(part.prim).map((corner) => corner + first));
    ranges.push({ part, first, count: part.vertices });
    first += part.vertices;
  }
  const indices = new Uint32Array(lists.reduce((sum, list) => sum + list.length, 0));
  let at = 0;
  for (const list of lists) {
    indices.set(list, at);
    at += list.length;
  }
  return { positions, indices, ranges };
}

/** Joints go where the fit says, without scale; clips follow. */
function placeSkeleton(document: Document, skeleton: Skeleton, fit: SkeletonFit): void {
  const before = new Set(skeleton.joints),
    clips = sampleClips(document, before),
    unscaled = new Float64Array(fit.global.length),
    m = new Float64Array(16),
    inverse = new Float64Array(16),
    local = new Float64Array(16);
  for (let o = 0; o < unscaled.length; o += 16)
    compose(
      unscaled,
      o,
      [fit.global[o + 12], fit.global[o + 13], fit.global[o + 14]],
      rotationOf(fit.global, o),
      [1, 1, 1],
    );
  // What took the skeleton there, root first: clips go the same way.
  invertAffine(inverse, 0, skeleton.global, 0);
  multiply(m, 0, fit.global, 0, inverse, 0);
  skeleton.joints.forEach((joint, j) => {
    if (skeleton.parent[j] >= 0) {
      invertAffine(inverse, 0, unscaled, skeleton.parent[j] * 16);
      multiply(local, 0, inverse, 0, unscaled, j * 16);
      skeleton.joints[skeleton.parent[j]].addChild(joint);
    } else {
      local.set(unscaled.subarray(j * 16, j * 16 + 16));
      const above = joint.getParentNode();
      if (above) {
        above.removeChild(joint);
        document.getRoot().listScenes()[0]?.addChild(joint);
      }
    }
    const { translation, rotation } = decompose(local);
    joint.setTranslation(translation).setRotation(rotation).setScale([1, 1, 1]);
  });
  const out = new Float64Array(16);
  for (const sampled of clips) {
    const tracks = skeleton.joints.map((joint) => sampled.global(joint));
    writeClip(
      document,
      sampled,
      before,
      skeleton.joints.map((node, j) => ({ node, parent: skeleton.parent[j] })),
      (j, time, own) => {
        multiply(out, 0, m, 0, tracks[j], time * 16);
        compose(own, 0, [out[12], out[13], out[14]], rotationOf(out), [1, 1, 1]);
        return true;
      },
    );
  }
}

const BONE_ROLES = /^(helper|unknown|extra)$/;

/** What each joint moves by itself: from its place to the middle of what hangs on it. */
function bonesOf(skeleton: Skeleton, roles: readonly RoleFound[], height: number): { bones: Bone[]; joints: number[] } {
  const bones: Bone[] = [],
    joints: number[] = [],
    hips = roleIndex(roles).get('hips') ?? 0,
    k = height / 1.75;
  const above = new Set<number>();
  for (let j = skeleton.parent[hips]; j >= 0; j = skeleton.parent[j]) above.add(j);
  const eyes = (['leftEye', 'rightEye'] as const).flatMap((role) => {
    const eye = roleIndex(roles).get(role);
    return eye === undefined ? [] : [jointPosition(skeleton, eye)];
  });
  skeleton.joints.forEach((_joint, j) => {
    const { role } = roles[j],
      from = jointPosition(skeleton, j);
    if (above.has(j) || role === 'end' || role === 'face' || role === 'tongue' || role.endsWith('Eye')) return;
    const children = skeleton.joints.flatMap((_, c) => (skeleton.parent[c] === j ? [c] : []));
    const main = children.filter(
      (c) =>
        (isHumanoidRole(roles[c].role) && !/Eye|jaw/.test(roles[c].role)) ||
        (role.endsWith('Hand') && BONE_ROLES.test(roles[c].role)),
    );
    const tails = main.length ? main : children.filter((c) => roles[c].role === 'end');
    if (BONE_ROLES.test(role) && !main.length) return;
    let to = from;
    if (role === 'jaw') {
      if (!eyes.length) return;
      to = [from[0], eyes[0][1] - 0.105 * k, eyes[0][2] + 0.005 * k];
    } else if (role !== 'twist' && tails.length)
      to = [0, 1, 2].map(
        (i) => tails.reduce((sum, c) => sum + jointPosition(skeleton, c)[i], 0) / tails.length,
      ) as typeof from;
    else if (role === 'head') to = [from[0], from[1] + 0.16 * k, from[2] + 0.02 * k];
    // A head reaches forward as it reaches up: without its face the lips would lie as near to the neck.
    const also =
      role === 'head' && eyes.length ? [{ from, to: [0, eyes[0][1] - 0.03 * k, eyes[0][2] - 0.02 * k] }] : undefined;
    bones.push({ from, to, also });
    joints.push(j);
  });
  return { bones, joints };
}

/** The jaw moves what lies below the mouth in front of it; a limb's joints of one side move nothing on the other, nor what is worn over the trunk. */
function gate(
  skeleton: Skeleton,
  roles: readonly RoleFound[],
  bones: readonly Bone[],
  body: ReturnType<typeof gatherBody>,
  height: number,
  joints: readonly number[],
): (vertex: number, bone: number) => number {
  const { positions, ranges } = body,
    partAt = new Uint16Array(positions.length / 3),
    index = roleIndex(roles),
    limb = joints.map((joint) => limbFor(skeleton, roles, joint));
  ranges.forEach(({ first, count }, p) => partAt.fill(p, first, first + count));
  const follows = ranges.map(({ part, first, count }) => {
    const limbs = limbsOf(part, positions.subarray(first * 3, (first + count) * 3), skeleton, index, height);
    return limb.map((own) => own === null || limbs.has(own));
  });
  const rule = joints.map((joint, b) => {
    const { role } = roles[joint],
      x = jointPosition(skeleton, joint)[0];
    if (role === 'jaw') {
      const moves = jawRule(body, bones[b], eyeHeight(skeleton, index), height);
      return (v: number) => moves(v, partAt[v]);
    }
    if (!/Arm|Hand|Thumb|Index|Middle|Ring|Little|Shoulder|Foot|Toes|LowerLeg/.test(role)) return null;
    return (v: number) => Number(positions[v * 3] * Math.sign(x) > -0.01 * height);
  });
  return (vertex, bone) => (follows[partAt[vertex]][bone] ? (rule[bone]?.(vertex) ?? 1) : 0);
}

/** What may open with the jaw: of the face and of what is in the mouth, what lies below the mouth's line; less and less down the throat and towards the ears. */
function jawRule(
  { positions, indices, ranges }: ReturnType<typeof gatherBody>,
  bone: Bone,
  eyes: number,
  height: number,
): (vertex: number, part: number) => number {
  const k = height / 1.75,
    face = { positions, indices, normals: vertexNormals(positions, indices), first: firstAtPlace(positions), ranges },
    jaw = jawShares(face, findMouth(face, eyes, k), k),
    behind = (bone.from[2] + bone.to[2]) / 2 - 0.04 * k,
    throat = bone.to[1] - 0.036 * k;
  const bare = ranges.some(({ part }) => part.kind === 'skin' || part.kind === 'lips'),
    opens = ranges.map(
      ({ part }) =>
        part.kind === 'skin' ||
        part.kind === 'lips' ||
        part.kind === 'teeth' ||
        part.kind === 'tongue' ||
        (!bare && part.kind === 'other'),
    );
  const share = (distance: number, over: number) => Math.max(0, Math.min(1, distance / (over * k)));
  return (v, part) =>
    opens[part]
      ? jaw[v] * share(positions[v * 3 + 2] - behind, 0.022) * share(positions[v * 3 + 1] - throat, 0.027)
      : 0;
}

const eyeHeight = (skeleton: Skeleton, index: ReadonlyMap<HumanoidRole, number>): number =>
  jointPosition(skeleton, index.get('leftEye') ?? index.get('rightEye') ?? 0)[1];

/** The limb that a joint is of: its own, or that of the joint it hangs on (twists). */
function limbFor(skeleton: Skeleton, roles: readonly RoleFound[], joint: number): Limb | null {
  for (let j = joint; j >= 0; j = skeleton.parent[j]) if (isHumanoidRole(roles[j].role)) return limbOf(roles[j].role);
  return null;
}

function bindSkin(document: Document, skin: Skin, skeleton: Skeleton): void {
  for (const joint of skin.listJoints()) skin.removeJoint(joint);
  for (const joint of skeleton.joints) skin.addJoint(joint);
  bindWhereJointsStand(document, skin, skeleton);
}

/** Eyes follow their joint, hair, lashes, teeth and what is worn on the head the head or the jaw, whole. */
function followWhole(
  part: Part,
  influences: { perVertex: number; joints: Uint16Array; weights: Float32Array },
  skeleton: Skeleton,
  roles: readonly RoleFound[],
): void {
  const index = roleIndex(roles),
    head = index.get('head'),
    position = part.prim.getAttribute('POSITION');
  if (head === undefined || !position) return;
  const points = floatsOf(position),
    { kind } = part,
    onHead = WORN.includes(part.role) && liesAbove(points, chinHeight(skeleton, index));
  const jointFor = (x: number): number | null => {
    if (onHead) return head;
    if (kind === 'eye' || kind === 'cornea') return index.get(x > 0 ? 'leftEye' : 'rightEye') ?? head;
    if (kind === 'hair' || kind === 'brow' || kind === 'lash' || kind === 'scalp' || kind === 'tear') return head;
    if (kind === 'teeth' || kind === 'tongue')
      return /lower|tongue|unter|inferior/i.test(part.name) ? (index.get('jaw') ?? head) : head;
    return null;
  };
  for (let v = 0; v < points.length / 3; v++) {
    const joint = jointFor(points[v * 3]);
    if (joint === null) return;
    influences.joints.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    influences.weights.fill(0, v * influences.perVertex, (v + 1) * influences.perVertex);
    influences.joints[v * influences.perVertex] = joint;
    influences.weights[v * influences.perVertex] = 1;
  }
}

/** Half-way from neck to head: about the chin. */
function chinHeight(skeleton: Skeleton, index: ReadonlyMap<HumanoidRole, number>): number {
  const head = index.get('head'),
    neck = index.get('neck');
  return head === undefined || neck === undefined
    ? Infinity
    : (jointPosition(skeleton, head)[1] + jointPosition(skeleton, neck)[1]) / 2;
}

/** Whether all but stray points lie above a height. */
function liesAbove(points: Float32Array, y: number): boolean {
  let below = 0;
  for (let i = 1; i < points.length; i += 3) if (points[i] < y) below++;
  return below <= (points.length / 3) * 0.01;
}

/** Share of edges that become over twice as long in the worst pose of the range of motion, per cent. */
function judge(document: Document): number {
  const deformer = createDeformer(document),
    roles: ReadonlyMap<HumanoidRole, number> = roleIndex(jointRoles(document, deformer.skeleton));
  const rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    now = new Float32Array(rest.length),
    { indices } = deformer;
  const long = (p: Float32Array, a: number, b: number) =>
    (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2;
  let worst = 0;
  for (const pose of RANGE_OF_MOTION) {
    deformer.evaluate(now, {}, poseSkeleton(deformer.skeleton, roles, pose));
    let over = 0,
      edges = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const a = indices[t] * 3,
        b = indices[t + 1] * 3,
        was = long(rest, a, b);
      if (was < 1e-10) continue;
      edges++;
      if (long(now, a, b) > 4 * was) over++;
    }
    worst = Math.max(worst, edges ? over / edges : 0);
  }
  return Math.round(worst * 10000) / 100;
}
