import type { Document, Node, Skin } from '@gltf-transform/core';
import {
  bindWhereJointsStand,
  floatsOf,
  globalMatrix,
  influencesOf,
  inverseBindsOf,
  isHumanoidRole,
  listParts,
  readDossier,
  skeletonOf,
  takeHome,
  updateDossier,
  type Dossier,
  type Skeleton,
  writeInfluences,
} from '../character/index.ts';
import { compose, decompose, dot, invertAffine, multiply, sub } from '../geometry/index.ts';
import { bakeMotion, sampleClips, writeClip } from '../rig/index.ts';
import type { FigurePlan } from './plan-figure.ts';
import { addUpDoubles } from './remap.ts';

export interface RefigureOptions {
  /** Whether joints that were put in take weight from the chain they lie on. */
  spread: boolean;
}

/**
 * Carries out a {@link FigurePlan} on `document` (changed in place): the old joints go, the figure's come; the mesh
 * at rest doesn't move, sums of weights stay, clips play what they played.
 */
export function refigure(
  document: Document,
  plan: FigurePlan,
  { spread }: RefigureOptions,
  skeleton: Skeleton = skeletonOf(document),
): void {
  const skins = document.getRoot().listSkins();
  if (!skins.every((skin) => bindsAreRest(skin, skeleton))) bakeRest(document, skeleton);
  const before = new Set(skeleton.joints),
    clips = sampleClips(document, before),
    atHome = homeGlobals(document, skeleton);
  const nodes = makeNodes(document, plan, skeleton);
  hangLoose(plan, skeleton, nodes);
  const binds = new Float32Array(nodes.length * 16),
    inverse = new Float64Array(16);
  nodes.forEach((node, i) => {
    invertAffine(inverse, 0, globalMatrix(node), 0);
    binds.set(inverse, i * 16);
  });
  const spreading = spread ? chainsOf(plan) : [];
  const done = new Set<unknown>();
  for (const part of listParts(document)) {
    const skin = part.node.getSkin();
    if (!skin || done.has(part.prim)) continue;
    done.add(part.prim);
    reshare(document, part.prim, skin, plan, skeleton, spreading);
  }
  for (const skin of skins) {
    for (const joint of skin.listJoints()) skin.removeJoint(joint);
    for (const node of nodes) skin.addJoint(node);
    skin
      .setSkeleton(null)
      .setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(Float32Array.from(binds)));
  }
  // O_j: what a new joint's frame is in the frame of the joint it was, at rest and so at any time.
  const relative = plan.joints.map((joint, i) => {
    const m = new Float64Array(16);
    if (joint.from >= 0) {
      invertAffine(inverse, 0, skeleton.global, joint.from * 16);
      multiply(m, 0, inverse, 0, globalMatrix(nodes[i]), 0);
    }
    return m;
  });
  for (const sampled of clips) {
    const globals = plan.joints.map((joint) => (joint.from >= 0 ? sampled.global(skeleton.joints[joint.from]) : null));
    writeClip(
      document,
      sampled,
      before,
      plan.joints.map((joint, i) => ({ node: nodes[i], parent: joint.parent })),
      (j, time, out) => {
        const own = globals[j];
        if (!own) return false;
        multiply(out, 0, own, time * 16, relative[j], 0);
        return true;
      },
    );
  }
  remember(document, plan, skeleton, atHome && homeOf(plan, nodes, relative, atHome));
  for (const joint of skeleton.joints) joint.dispose();
}

function bindsAreRest(skin: Skin, skeleton: Skeleton): boolean {
  const binds = inverseBindsOf(skin),
    m = new Float64Array(16);
  return skin.listJoints().every((joint, i) => {
    multiply(m, 0, skeleton.global, (skeleton.index.get(joint) ?? 0) * 16, binds, i * 16);
    return m.every((x, k) => Math.abs(x - (k % 5 === 0 ? 1 : 0)) < 1e-5);
  });
}

/** Where joints don't stand as they were bound, the mesh takes the shape it has now, and that becomes the bind. */
function bakeRest(document: Document, skeleton: Skeleton): void {
  const still = new Float64Array(skeleton.joints.length * 16);
  for (let i = 0; i < still.length; i++) still[i] = (i & 15) % 5 === 0 ? 1 : 0;
  bakeMotion(document, still, 'forward', skeleton);
  for (const skin of document.getRoot().listSkins()) bindWhereJointsStand(document, skin, skeleton);
}

/** Nodes of a plan's joints, hung on one another and in the scene. */
export function makeNodes(document: Document, plan: Pick<FigurePlan, 'joints'>, skeleton: Skeleton): Node[] {
  const scene = document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0] ?? document.createScene();
  const globals = new Float64Array(plan.joints.length * 16),
    local = new Float64Array(16),
    inverse = new Float64Array(16);
  const nodes = plan.joints.map((joint, i) => {
    // A joint's own scale is part of how its children hang; it stays with the joint that has it.
    const scale = joint.from >= 0 ? decompose(skeleton.global, joint.from * 16).scale.map(Math.abs) : [1, 1, 1];
    compose(globals, i * 16, joint.at, joint.turn, scale.every((s) => Math.abs(s - 1) < 1e-4) ? [1, 1, 1] : scale);
    return document.createNode(joint.name);
  });
  plan.joints.forEach((joint, i) => {
    if (joint.parent >= 0) {
      invertAffine(inverse, 0, globals, joint.parent * 16);
      multiply(local, 0, inverse, 0, globals, i * 16);
      nodes[joint.parent].addChild(nodes[i]);
    } else {
      local.set(globals.subarray(i * 16, i * 16 + 16));
      scene.addChild(nodes[i]);
    }
    const { translation, rotation, scale } = decompose(local);
    nodes[i]
      .setTranslation(translation)
      .setRotation(rotation)
      .setScale(scale.map((s) => (Math.abs(s - 1) < 1e-5 ? 1 : s)) as [number, number, number]);
  });
  return nodes;
}

/** What hung on a joint without being one (a badge, a radio, a mesh's node) hangs on the joint that took its place. */
function hangLoose(plan: FigurePlan, skeleton: Skeleton, nodes: readonly Node[]): void {
  const joints = new Set(skeleton.joints),
    inverse = new Float64Array(16),
    local = new Float64Array(16);
  skeleton.joints.forEach((joint, s) => {
    for (const child of joint.listChildren()) {
      if (joints.has(child)) continue;
      const most = plan.shares[s].reduce(
          (best, share) => (share.amount > best.amount ? share : best),
          plan.shares[s][0],
        ),
        own = globalMatrix(child);
      // A node between two joints, with nothing of its own, is not needed any more.
      if (!child.getMesh() && !child.getCamera() && holdsJoint(child, joints) && !holdsThing(child, joints)) continue;
      invertAffine(inverse, 0, globalMatrix(nodes[most.to]), 0);
      multiply(local, 0, inverse, 0, own, 0);
      const { translation, rotation, scale } = decompose(local);
      nodes[most.to].addChild(child.setTranslation(translation).setRotation(rotation).setScale(scale));
    }
  });
}
const holdsJoint = (node: Node, joints: ReadonlySet<Node>): boolean =>
  node.listChildren().some((child) => joints.has(child) || holdsJoint(child, joints));
const holdsThing = (node: Node, joints: ReadonlySet<Node>): boolean =>
  node
    .listChildren()
    .some(
      (child) =>
        !joints.has(child) && (child.getMesh() !== null || child.getCamera() !== null || holdsThing(child, joints)),
    );

/** Joints put in below a joint with weight, on the way to the next that the source has: weight may be spread over them. */
interface Chain {
  root: number;
  added: number[];
  points: number[][];
}

function chainsOf(plan: FigurePlan): Chain[] {
  const out: Chain[] = [];
  plan.joints.forEach((joint) => {
    if (joint.from < 0) return;
    const added: number[] = [];
    let up = joint.parent;
    for (; up >= 0 && plan.joints[up].from < 0; up = plan.joints[up].parent) added.unshift(up);
    if (up >= 0 && added.length)
      out.push({ root: up, added, points: [plan.joints[up].at, ...added.map((j) => plan.joints[j].at), joint.at] });
  });
  // Twists hang beside their bone's end, not above it.
  plan.joints.forEach((joint, i) => {
    if (joint.from >= 0 || joint.role !== 'twist' || joint.parent < 0 || plan.joints[joint.parent].from < 0) return;
    const end = plan.joints.findIndex((other) => other.parent === joint.parent && isHumanoidRole(other.role));
    if (end < 0) return;
    const chain = out.find((entry) => entry.root === joint.parent && entry.points.at(-1) === plan.joints[end].at);
    if (chain) {
      chain.added.push(i);
      chain.points.splice(chain.points.length - 1, 0, joint.at);
    } else
      out.push({
        root: joint.parent,
        added: [i],
        points: [plan.joints[joint.parent].at, joint.at, plan.joints[end].at],
      });
  });
  return out;
}

function reshare(
  document: Document,
  prim: Parameters<typeof influencesOf>[0],
  skin: Skin,
  plan: FigurePlan,
  skeleton: Skeleton,
  chains: readonly Chain[],
): void {
  const influences = influencesOf(prim),
    position = prim.getAttribute('POSITION');
  if (!influences || !position) return;
  const shares = skin.listJoints().map((joint) => plan.shares[skeleton.index.get(joint) ?? 0]);
  const widest =
    Math.max(1, ...shares.map((list) => list.length)) *
    Math.max(1, ...chains.map((chain) => Math.min(2, chain.added.length + 1)));
  const { perVertex } = influences,
    count = influences.joints.length / perVertex,
    wide = perVertex * widest;
  const joints = new Uint16Array(count * wide),
    weights = new Float32Array(count * wide),
    points = floatsOf(position);
  const chainAt = new Map(chains.map((chain) => [chain.root, chain]));
  for (let v = 0; v < count; v++) {
    let next = v * wide;
    for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
      if (influences.weights[k] === 0) continue;
      for (const { to, amount } of shares[influences.joints[k]] ?? []) {
        const weight = influences.weights[k] * amount,
          chain = chainAt.get(to);
        if (!chain) {
          joints[next] = to;
          weights[next++] = weight;
          continue;
        }
        for (const part of alongChain(chain, points, v * 3)) {
          joints[next] = part.to;
          weights[next++] = weight * part.amount;
        }
      }
    }
  }
  addUpDoubles(joints, weights, wide);
  writeInfluences(document, prim, packed({ perVertex: wide, joints, weights }));
}

/** Shares of a chain's joints at a point: a smooth partition of unity between the middles of neighbouring segments. */
function alongChain(
  { root, added, points }: Chain,
  positions: Float32Array,
  at: number,
): { to: number; amount: number }[] {
  const members = [root, ...added],
    first = points[0],
    axis = sub(points[points.length - 1], first),
    length2 = dot(axis, axis) || 1;
  const place = (p: ArrayLike<number>, o = 0) =>
    ((p[o] - first[0]) * axis[0] + (p[o + 1] - first[1]) * axis[1] + (p[o + 2] - first[2]) * axis[2]) / length2;
  const ends = points.map((point) => place(point)),
    middles = members.map((_, i) => (ends[i] + ends[i + 1]) / 2),
    t = place(positions, at);
  const next = middles.findIndex((middle) => middle > t);
  if (next === 0) return [{ to: root, amount: 1 }];
  if (next < 0) return [{ to: members[members.length - 1], amount: 1 }];
  const u = (t - middles[next - 1]) / (middles[next] - middles[next - 1] || 1),
    smooth = u * u * (3 - 2 * u);
  return [
    { to: members[next - 1], amount: 1 - smooth },
    { to: members[next], amount: smooth },
  ];
}

/** No more slots than the fullest vertex needs, in sets of four. */
function packed(wide: { perVertex: number; joints: Uint16Array; weights: Float32Array }): typeof wide {
  const count = wide.joints.length / wide.perVertex;
  let most = 1;
  for (let v = 0; v < count; v++) {
    let used = 0;
    for (let k = v * wide.perVertex; k < (v + 1) * wide.perVertex; k++) if (wide.weights[k] !== 0) used++;
    most = Math.max(most, used);
  }
  const perVertex = Math.ceil(most / 4) * 4,
    joints = new Uint16Array(count * perVertex),
    weights = new Float32Array(count * perVertex);
  for (let v = 0; v < count; v++) {
    let next = v * perVertex;
    for (let k = v * wide.perVertex; k < (v + 1) * wide.perVertex; k++)
      if (wide.weights[k] !== 0) {
        joints[next] = wide.joints[k];
        weights[next++] = wide.weights[k];
      }
  }
  return { perVertex, joints, weights };
}

/** Global matrices of the pose the character came in; null where it stands in it. */
function homeGlobals(document: Document, skeleton: Skeleton): Float64Array[] | null {
  const kept = skeleton.joints.map((joint) => ({ t: joint.getTranslation(), r: joint.getRotation() }));
  if (!takeHome(document)) return null;
  const globals = skeleton.joints.map((joint) => globalMatrix(joint));
  skeleton.joints.forEach((joint, i) => joint.setTranslation(kept[i].t).setRotation(kept[i].r));
  return globals;
}

/** That pose as the new joints take it. */
function homeOf(
  plan: FigurePlan,
  nodes: readonly Node[],
  relative: readonly Float64Array[],
  globals: readonly Float64Array[],
): NonNullable<Dossier['homePose']> {
  const own = new Float64Array(plan.joints.length * 16),
    local = new Float64Array(16),
    inverse = new Float64Array(16),
    out: NonNullable<Dossier['homePose']> = {};
  plan.joints.forEach((joint, i) => {
    const { parent } = joint,
      node = nodes[i];
    compose(local, 0, node.getTranslation(), node.getRotation(), node.getScale());
    if (joint.from >= 0) multiply(own, i * 16, globals[joint.from], 0, relative[i], 0);
    else if (parent >= 0) multiply(own, i * 16, own, parent * 16, local, 0);
    else own.set(local, i * 16);
    if (parent >= 0) {
      invertAffine(inverse, 0, own, parent * 16);
      multiply(local, 0, inverse, 0, own, i * 16);
    } else local.set(own.subarray(i * 16, i * 16 + 16));
    const { translation, rotation } = decompose(local);
    out[joint.name] = { t: translation, r: rotation };
  });
  return out;
}

/** Reports follow joints through the change; the way back finds what this figure has no place for. */
function remember(document: Document, plan: FigurePlan, skeleton: Skeleton, home: Dossier['homePose'] | null): void {
  const dossier = readDossier(document),
    renamed: Record<string, string> = {},
    merged: Record<string, string> = {},
    former: NonNullable<typeof dossier.formerJoints> = {};
  const now = new Map<string, string>();
  plan.shares.forEach((shares, s) => {
    const old = skeleton.joints[s].getName(),
      most = shares.reduce((best, share) => (share.amount > best.amount ? share : best), shares[0]),
      { name } = plan.joints[most.to];
    now.set(old, name);
    if (plan.gone.has(s)) {
      merged[old] = name;
      former[old] = { under: name, rest: Array.from(skeleton.global.subarray(s * 16, s * 16 + 16)) };
    } else if (name !== old) renamed[old] = name;
  });
  for (const [name, entry] of Object.entries(dossier.formerJoints ?? {}))
    if (!plan.joints.some((joint) => joint.name === name))
      former[name] ??= { under: now.get(entry.under) ?? entry.under, rest: entry.rest };
  updateDossier(document, {
    renamedJoints: { ...follow(dossier.renamedJoints, now), ...renamed },
    mergedJoints: { ...follow(dossier.mergedJoints, now), ...merged },
    formerJoints: former,
    declaredRoles: Object.fromEntries(plan.joints.map((joint) => [joint.name, joint.role])),
    jointRoles: {},
    homePose: home ?? undefined,
  });
}
const follow = (names: Record<string, string> | undefined, now: ReadonlyMap<string, string>): Record<string, string> =>
  Object.fromEntries(Object.entries(names ?? {}).map(([old, name]) => [old, now.get(name) ?? name]));
