import type { Document, Mesh, Node, Skin } from '@gltf-transform/core';
import { addChannel } from '../../character/index.ts';
import { decompose, identity, invertAffine, multiply } from '../../geometry/index.ts';
import type { Finding } from '../../problem.ts';
import { titleOf, type UsdPrim } from './layer.ts';
import { isNumbers, numbersOf, wordsOf } from './mesh.ts';
import { valueAt } from './transforms.ts';

/** No figure reaches as far, in whatever unit; single precision still holds its square. */
const FARTHEST = 1e12;

export interface UsdSkeleton {
  path: string;
  joints: string[];
  nodes: Node[];
  bind: Float64Array;
  root: Node;
  animation: string;
}

/** Makes the joints of a Skeleton prim as nodes below `root`, at rest. */
export function makeSkeleton(
  document: Document,
  prim: UsdPrim,
  path: string,
  root: Node,
  animation: string,
  findings: Finding[],
): UsdSkeleton | null {
  const joints = wordsOf(prim.attributes.get('joints'));
  if (!joints.length) {
    findings.push({
      code: 'usd.skeleton',
      severity: 'warning',
      message: `The skeleton “${prim.name}” names no joints; it was left out.`,
      where: path,
    });
    return null;
  }
  const own = wordsOf(prim.attributes.get('jointNames')),
    place = new Map(joints.map((joint, i) => [joint, i]));
  const parent = joints.map((joint) => {
    for (let at = joint.lastIndexOf('/'); at > 0; at = joint.lastIndexOf('/', at - 1)) {
      const found = place.get(joint.slice(0, at));
      if (found !== undefined) return found;
    }
    return -1;
  });
  const rest = numbersOf(prim.attributes.get('restTransforms')),
    bind = numbersOf(prim.attributes.get('bindTransforms'));
  const whole = (values: typeof rest) =>
    values !== null && values.length >= joints.length * 16 && values.every((x) => Math.abs(x) < FARTHEST);
  if (!whole(rest) && !whole(bind))
    findings.push({
      code: 'usd.skeleton',
      severity: 'warning',
      message: `The skeleton “${prim.name}” says of its ${joints.length} joints neither where they rest nor where they were bound; they stand at the origin.`,
      where: path,
      measured: joints.length,
    });
  const world = new Float64Array(joints.length * 16),
    local = new Float64Array(joints.length * 16);
  const chain = order(parent);
  for (const j of chain) {
    if (whole(rest)) {
      local.set((rest as Float64Array).subarray(j * 16, j * 16 + 16), j * 16);
      if (parent[j] < 0) world.set(local.subarray(j * 16, j * 16 + 16), j * 16);
      else multiply(world, j * 16, world, parent[j] * 16, local, j * 16);
    } else if (whole(bind)) {
      world.set((bind as Float64Array).subarray(j * 16, j * 16 + 16), j * 16);
      if (parent[j] < 0) local.set(world.subarray(j * 16, j * 16 + 16), j * 16);
      else {
        const back = new Float64Array(16);
        invertAffine(back, 0, world, parent[j] * 16);
        multiply(local, j * 16, back, 0, world, j * 16);
      }
    } else {
      identity(world, j * 16);
      identity(local, j * 16);
    }
  }
  const taken = new Map<string, number>();
  const names = joints.map((joint, j) => own[j] || joint.slice(joint.lastIndexOf('/') + 1));
  for (const name of names) taken.set(name, (taken.get(name) ?? 0) + 1);
  const nodes = joints.map((joint, j) => {
    const { translation, rotation, scale } = decompose(local, j * 16);
    // Two joints of one name are told apart by their place.
    return document
      .createNode((taken.get(names[j]) as number) > 1 ? joint.replace(/\//g, '_') : names[j])
      .setTranslation(translation)
      .setRotation(rotation)
      .setScale(scale);
  });
  for (let j = 0; j < joints.length; j++) (parent[j] < 0 ? root : nodes[parent[j]]).addChild(nodes[j]);
  return {
    path,
    joints,
    nodes,
    bind: whole(bind) ? Float64Array.from((bind as Float64Array).subarray(0, joints.length * 16)) : world,
    root,
    animation,
  };
}

/** Parents before children, whatever order the file has; circles can't be, since parents are prefixes. */
function order(parent: readonly number[]): number[] {
  const depth = parent.map((_, j) => {
    let n = 0;
    for (let i = parent[j]; i >= 0; i = parent[i]) n++;
    return n;
  });
  return parent.map((_, j) => j).sort((a, b) => depth[a] - depth[b] || a - b);
}

/** Skins by joints and bind shape, each made once. */
export class UsdSkins {
  private readonly made = new Map<string, Skin>();
  constructor(
    private readonly document: Document,
    private readonly findings: Finding[],
  ) {}

  bind(node: Node, mesh: Mesh, prim: UsdPrim, skeleton: UsdSkeleton): void {
    const own = wordsOf(prim.attributes.get('skel:joints')),
      names = own.length ? own : skeleton.joints;
    const shape = numbersOf(prim.attributes.get('primvars:skel:geomBindTransform'));
    const key = `${skeleton.path} ${own.join(' ')} ${shape ? Array.from(shape).join(' ') : ''}`;
    let skin = this.made.get(key);
    if (!skin) {
      skin = this.document.createSkin(prim.name);
      const binds = new Float64Array(names.length * 16),
        lost: string[] = [],
        broken: string[] = [];
      names.forEach((name, j) => {
        const at = skeleton.joints.indexOf(name);
        if (at < 0) lost.push(name);
        skin?.addJoint(at < 0 ? skeleton.root : skeleton.nodes[at]);
        const back = new Float64Array(16);
        if (at < 0) identity(back);
        else invertAffine(back, 0, skeleton.bind, at * 16);
        if (shape?.length === 16 && shape.every((value) => Number.isFinite(value)))
          multiply(binds, j * 16, back, 0, shape, 0);
        else binds.set(back, j * 16);
        if (binds.subarray(j * 16, j * 16 + 16).some((x) => !(Math.abs(x) < FARTHEST))) {
          identity(binds, j * 16);
          broken.push(name);
        }
      });
      if (broken.length)
        this.findings.push({
          code: 'usd.binds',
          severity: 'error',
          message: `${broken.length} joints of “${prim.name}” are bound by matrices that can't be turned round: ${broken.slice(0, 4).join(', ')}. They are bound at the origin; look at the figure and export it again.`,
          where: mesh.getName(),
          measured: broken.length,
        });
      if (lost.length)
        this.findings.push({
          code: 'usd.joints',
          severity: 'warning',
          message: `${lost.length} joints that “${prim.name}” is bound to are not in its skeleton: ${lost.slice(0, 4).join(', ')}. Their weight stays where the mesh is.`,
          where: mesh.getName(),
          measured: lost.length,
        });
      skin.setInverseBindMatrices(this.document.createAccessor().setType('MAT4').setArray(Float32Array.from(binds)));
      this.made.set(key, skin);
    }
    node.setSkin(skin);
  }
}

/** Writes a SkelAnimation prim as channels of a clip: its joints, and the morphs of the meshes it moves. */
export function writeSkelAnimation(
  document: Document,
  prim: UsdPrim,
  path: string,
  skeleton: UsdSkeleton,
  meshes: readonly { node: Node; names: readonly string[] }[],
  rate: number,
  findings: Finding[],
): void {
  const clip = document.createAnimation(titleOf(prim));
  const seconds = (times: readonly number[]) =>
    document
      .createAccessor()
      .setType('SCALAR')
      .setArray(Float32Array.from(times, (time) => (time - first) / rate));
  const attributes = ['translations', 'rotations', 'scales', 'blendShapeWeights'].map((name) =>
    prim.attributes.get(name),
  );
  const first = Math.min(...attributes.flatMap((attribute) => attribute?.samples?.times[0] ?? []), Infinity);
  const joints = wordsOf(prim.attributes.get('joints'));
  const unknown = joints.filter((joint) => !skeleton.joints.includes(joint));
  if (unknown.length)
    findings.push({
      code: 'usd.channels',
      severity: 'warning',
      message: `The clip “${prim.name}” moves ${unknown.length} joints that the skeleton has not: ${unknown.slice(0, 4).join(', ')}.`,
      where: path,
      measured: unknown.length,
    });
  (['translation', 'rotation', 'scale'] as const).forEach((target, a) => {
    const samples = attributes[a]?.samples,
      width = target === 'rotation' ? 4 : 3;
    if (!samples?.times.length) return;
    const input = seconds(samples.times);
    joints.forEach((joint, j) => {
      const at = skeleton.joints.indexOf(joint);
      if (at < 0) return;
      const output = new Float32Array(samples.times.length * width);
      samples.values.forEach((value, k) => {
        const numbers = isNumbers(value) && value.length >= (j + 1) * width ? value : null;
        for (let c = 0; c < width; c++) {
          const value = numbers?.[j * width + c];
          output[k * width + c] =
            value !== undefined && Number.isFinite(value) ? value : target === 'scale' || c === 3 ? 1 : 0;
        }
        if (width === 4) steady(output, k);
      });
      addChannel(document, clip, skeleton.nodes[at], target, input, output);
    });
  });
  const shapes = wordsOf(prim.attributes.get('blendShapes')),
    weights = attributes[3];
  if (weights?.samples && shapes.length)
    for (const { node, names } of meshes) {
      if (!names.some((name) => shapes.includes(name))) continue;
      const times = weights.samples.times,
        output = new Float32Array(times.length * names.length);
      times.forEach((time, k) => {
        const value = valueAt(weights, time);
        names.forEach((name, n) => {
          const at = shapes.indexOf(name);
          const weight = at >= 0 && isNumbers(value) ? value[at] : 0;
          output[k * names.length + n] = Number.isFinite(weight) ? weight : 0;
        });
      });
      addChannel(document, clip, node, 'weights', seconds(times), output);
    }
  if (!clip.listChannels().length) clip.dispose();
}

/** A unit quaternion on the same side as the one before it. */
function steady(values: Float32Array, k: number): void {
  const at = k * 4,
    l = Math.hypot(values[at], values[at + 1], values[at + 2], values[at + 3]);
  if (!(l > 1e-12) || !Number.isFinite(l)) {
    values.set([0, 0, 0, 1], at);
    return;
  }
  let dot = 0;
  if (k) for (let c = 0; c < 4; c++) dot += values[at + c] * values[at - 4 + c];
  for (let c = 0; c < 4; c++) values[at + c] /= dot < 0 ? -l : l;
}
