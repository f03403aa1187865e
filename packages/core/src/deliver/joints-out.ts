import type { Document, Node, Skin } from '@gltf-transform/core';
import {
  createDeformer,
  freeName,
  influencesOf,
  inverseBindsOf,
  jointPosition,
  type Skeleton,
  skeletonOf,
} from '../character/index.ts';
import { invertAffine } from '../geometry/index.ts';
import type { Finding } from '../problem.ts';
import { jointRoles } from '../rig/index.ts';
import type { Target } from '../targets/index.ts';

type Wanted = Pick<Target['joints'], 'root' | 'leafEnds'>;

/** Weight from which a vertex belongs to a joint's end. */
const OF_JOINT = 0.5;
/** Of a joint that carries nothing: so much of the way from the joint above. */
const GUESS = 0.5;

/** Gives a skeleton the root and the ends that a target asks for: joints that carry no weight, where others are looked for. @returns what there is to say */
export function jointsOut(document: Document, { root, leafEnds }: Wanted): Finding[] {
  const skeleton = skeletonOf(document);
  if (!skeleton.joints.length) return [];
  const findings: Finding[] = [];
  // Ends first: a root is none of the leaves, and the skeleton is asked for once.
  if (leafEnds) giveEnds(document, skeleton);
  if (root) findings.push(...giveRoot(document, skeleton, root));
  return findings;
}

const namesIn = (document: Document): Set<string> =>
  new Set(
    document
      .getRoot()
      .listNodes()
      .map((node) => node.getName()),
  );

/** One joint over all others, at the origin, under the name that is asked for; a root that is there already is called so. */
function giveRoot(document: Document, skeleton: Skeleton, wanted: string): Finding[] {
  const tops = skeleton.joints.filter((_, i) => skeleton.parent[i] < 0),
    roles = jointRoles(document, skeleton),
    [only] = tops;
  if (only.getName() === wanted && tops.length === 1) return [];
  const taken = namesIn(document),
    // What stands over the hips already is a root, whatever it is called.
    isRoot = tops.length === 1 && roles[skeleton.index.get(only) as number].role !== 'hips';
  if (isRoot) taken.delete(only.getName());
  const name = freeName(wanted, taken, '_');
  if (isRoot) only.setName(name);
  else {
    const node = document.createNode(name),
      scene = document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0];
    for (const top of tops) takeUnder(document, top, node);
    scene?.addChild(node);
    for (const skin of document.getRoot().listSkins()) addJoint(document, skin, node, identity());
  }
  return name === wanted
    ? []
    : [
        {
          code: 'package.root-name',
          severity: 'warning',
          message: `The root joint is called “${name}”: something else is called “${wanted}” already. Give that another name, or the target's root.`,
          where: name,
        },
      ];
}

const identity = (): Float64Array => Float64Array.of(1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1);

/** A joint at the top goes under the root; nodes between it and the scene, which place it, go along. */
function takeUnder(document: Document, top: Node, root: Node): void {
  let highest: Node = top;
  for (let above = top.getParentNode(); above; above = above.getParentNode()) highest = above;
  // Meshes hang beside joints: only what holds the joint goes.
  for (const scene of document.getRoot().listScenes()) scene.removeChild(highest);
  root.addChild(highest);
}

/** A joint at the tip of every joint without another below it. */
function giveEnds(document: Document, skeleton: Skeleton): void {
  const { joints, parent, global } = skeleton,
    inner = new Set(parent),
    taken = namesIn(document),
    lengths = reachOf(document, skeleton);
  joints.forEach((joint, i) => {
    if (inner.has(i) || parent[i] < 0) return;
    const at = jointPosition(skeleton, i),
      from = jointPosition(skeleton, parent[i]),
      way = at.map((x, k) => x - from[k]),
      far = Math.hypot(...way);
    if (far < 1e-6) return;
    const length = lengths[i] > 0 ? lengths[i] : far * GUESS,
      tip = at.map((x, k) => x + (way[k] / far) * length),
      inverse = new Float64Array(16);
    invertAffine(inverse, 0, global, i * 16);
    const local = [0, 1, 2].map(
        (k) => inverse[k] * tip[0] + inverse[4 + k] * tip[1] + inverse[8 + k] * tip[2] + inverse[12 + k],
      ) as [number, number, number],
      name = freeName(`${joint.getName()}_end`, taken, '_'),
      end = document.createNode(name).setTranslation(local),
      stands = global.slice(i * 16, i * 16 + 16);
    taken.add(name);
    joint.addChild(end);
    tip.forEach((x, k) => {
      stands[12 + k] = x;
    });
    const bind = new Float64Array(16);
    invertAffine(bind, 0, stands, 0);
    for (const skin of document.getRoot().listSkins())
      if (skin.listJoints().includes(joint)) addJoint(document, skin, end, bind);
  });
}

/** How far vertices that a leaf carries reach beyond it, along the way from the joint above; 0 where it carries none. */
function reachOf(document: Document, skeleton: Skeleton): Float64Array {
  const deformer = createDeformer(document, undefined, false),
    places = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    out = new Float64Array(skeleton.joints.length),
    inner = new Set(skeleton.parent);
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim);
    if (!skin || !influences) continue;
    const of = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? -1);
    for (let v = 0; v < vertices; v++)
      for (let k = v * influences.perVertex; k < (v + 1) * influences.perVertex; k++) {
        const j = influences.weights[k] >= OF_JOINT ? of[influences.joints[k]] : -1;
        if (j < 0 || inner.has(j) || skeleton.parent[j] < 0) continue;
        out[j] = Math.max(out[j], along(skeleton, j, places, (firstVertex + v) * 3));
      }
  }
  return out;
}

function along(skeleton: Skeleton, j: number, places: Float32Array, o: number): number {
  const at = jointPosition(skeleton, j),
    from = jointPosition(skeleton, skeleton.parent[j]),
    far = Math.hypot(at[0] - from[0], at[1] - from[1], at[2] - from[2]) || 1;
  let sum = 0;
  for (let k = 0; k < 3; k++) sum += (places[o + k] - at[k]) * (at[k] - from[k]);
  return sum / far;
}

/** At the end of the list: weights name joints by their place in it. */
function addJoint(document: Document, skin: Skin, joint: Node, bind: Float64Array): void {
  const binds = inverseBindsOf(skin),
    all = new Float32Array(binds.length + 16);
  all.set(binds);
  all.set(bind, binds.length);
  skin.addJoint(joint).setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(all));
}
