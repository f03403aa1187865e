import type { Animation, Document, Node } from '@gltf-transform/core';
import { addChannel } from '../../character/index.ts';
import { decompose } from '../../geometry/index.ts';
import { childOf, childrenOf, within, type XmlNode } from '../text/xml.ts';
import { type Collada, inputsOf, nameOf, type Source } from './source.ts';
import type { MadeNode } from './scene.ts';
import { matrixOf, type TransformElement } from './transforms.ts';

/** One curve: times, values per key, and how it goes from key to key. */
interface Curve {
  times: Float64Array;
  output: Source;
  kinds: string[];
  inTangent: Source | null;
  outTangent: Source | null;
}
interface Channel {
  element: TransformElement /** First number it sets. */;
  at: number;
  curve: Curve;
  id: string;
}

/** Between two keys of a turn a sample at least this often, seconds: turns about single axes don't blend as one turn does. */
const STEP = 1 / 30;
const MOST_SAMPLES = 200_000;

/** Clips of the file: as its clip library names them, or all together as one. */
export function readClips(file: Collada, document: Document, made: readonly MadeNode[]): void {
  const clips = within(file.root, 'animation_clip');
  const tops = within(file.root, 'library_animations').flatMap((library) => childrenOf(library, 'animation'));
  if (!clips.length) {
    if (tops.length)
      writeClip(file, document, made, tops.length === 1 ? nameOf(tops[0], 'motion') : 'motion', tops, 0, Infinity);
    return;
  }
  for (const clip of clips) {
    const used = childrenOf(clip, 'instance_animation')
      .map((entry) => file.find(entry.attributes.url))
      .filter((entry) => entry !== null);
    const from = Number(clip.attributes.start ?? 0) || 0,
      to = clip.attributes.end === undefined ? Infinity : Number(clip.attributes.end);
    writeClip(file, document, made, nameOf(clip, 'clip'), used, from, Number.isFinite(to) ? to : Infinity);
  }
}

function writeClip(
  file: Collada,
  document: Document,
  made: readonly MadeNode[],
  name: string,
  animations: readonly XmlNode[],
  from: number,
  to: number,
): void {
  const byNode = new Map<MadeNode, Channel[]>();
  let unknown = 0;
  for (const animation of animations)
    for (const element of [animation, ...within(animation, 'animation')])
      for (const channel of childrenOf(element, 'channel')) {
        const target = targetOf(channel.attributes.target ?? '', made);
        const curve = target && curveOf(file, file.find(channel.attributes.source));
        if (!target || !curve) {
          unknown++;
          continue;
        }
        const list = byNode.get(target.node) ?? [];
        byNode.set(target.node, list);
        list.push({ element: target.element, at: target.at, curve, id: channel.attributes.target ?? '' });
      }
  if (unknown)
    file.say({
      code: 'collada.channels',
      severity: 'warning',
      message: `${unknown} channels of the clip “${name}” move something that no joint or node is (a material, a morph, a light); they were left out.`,
      where: name,
      measured: unknown,
    });
  if (!byNode.size) return;
  const clip = document.createAnimation(name);
  for (const [target, channels] of byNode)
    writeNode(document, clip, target.node, target.transforms, channels, from, to);
}

/** `node/sid`, `node/sid.X`, `node/sid.ANGLE`, `node/sid(3)`, `node/sid(1)(2)`. */
function targetOf(
  text: string,
  made: readonly MadeNode[],
): { node: MadeNode; element: TransformElement; at: number } | null {
  const found = /^([^/]+)\/(.+?)(?:\.([A-Za-z]+)|\((\d+)\)(?:\((\d+)\))?)?$/.exec(text);
  if (!found) return null;
  const [, id, path, member, first, second] = found;
  const node = made.find(({ element }) => element.attributes.id === id);
  const element = node?.transforms.find(({ sid }) => sid !== '' && sid === path.split('/').at(-1));
  if (!node || !element) return null;
  if (member) {
    const at = member === 'ANGLE' ? 3 : 'XYZ'.indexOf(member);
    return at < 0 || at >= element.values.length ? null : { node, element, at };
  }
  if (first === undefined) return { node, element, at: -1 };
  const at = second === undefined ? Number(first) : Number(second) * 4 + Number(first);
  return at < element.values.length ? { node, element, at } : null;
}

function curveOf(file: Collada, sampler: XmlNode | null): Curve | null {
  if (!sampler) return null;
  const inputs = inputsOf(sampler);
  const of = (semantic: string) => {
    const input = inputs.find((entry) => entry.semantic === semantic);
    return input ? file.source(input.source, 'a curve') : null;
  };
  const input = of('INPUT'),
    output = of('OUTPUT');
  if (!input?.count || !output?.count || !childOf(sampler, 'input')) return null;
  const times = Float64Array.from(
    { length: Math.min(input.count, output.count) },
    (_, i) => input.values[input.offset + i * input.stride],
  );
  return {
    times,
    output,
    kinds: of('INTERPOLATION')?.names ?? [],
    inTangent: of('IN_TANGENT'),
    outTangent: of('OUT_TANGENT'),
  };
}

function writeNode(
  document: Document,
  clip: Animation,
  node: Node,
  transforms: readonly TransformElement[],
  channels: readonly Channel[],
  from: number,
  to: number,
): void {
  const times = sampleTimes(channels, from, to);
  const kept = transforms.map((element) => element.values.slice());
  const t = new Float32Array(times.length * 3),
    r = new Float32Array(times.length * 4),
    s = new Float32Array(times.length * 3);
  times.forEach((time, i) => {
    for (const { element, at, curve } of channels) evaluate(curve, time, element.values, at);
    const { translation, rotation, scale } = decompose(matrixOf(transforms));
    const flip = i > 0 && rotation.reduce((sum, x, k) => sum + x * r[i * 4 - 4 + k], 0) < 0 ? -1 : 1;
    t.set(translation, i * 3);
    r.set(
      rotation.map((x) => x * flip),
      i * 4,
    );
    s.set(scale, i * 3);
  });
  transforms.forEach((element, i) => {
    element.values.set(kept[i]);
  });
  const input = document
    .createAccessor()
    .setType('SCALAR')
    .setArray(Float32Array.from(times, (time) => time - (Number.isFinite(from) ? from : 0)));
  const add = (path: 'translation' | 'rotation' | 'scale', array: Float32Array<ArrayBuffer>, size: number) => {
    if (!array.every((value) => Number.isFinite(value))) return;
    let moves = false;
    for (let i = size; i < array.length && !moves; i++) moves = Math.abs(array[i] - array[i % size]) > 1e-7;
    const rest =
      path === 'translation' ? node.getTranslation() : path === 'scale' ? node.getScale() : node.getRotation();
    if (!moves && rest.every((value, k) => Math.abs(value - array[k]) < 1e-6)) return;
    addChannel(document, clip, node, path, input, array);
  };
  add('translation', t, 3);
  add('rotation', r, 4);
  add('scale', s, 3);
}

/** Keys of all curves, and points between where a straight line would not do. */
function sampleTimes(channels: readonly Channel[], from: number, to: number): number[] {
  const keys = new Set<number>();
  for (const { curve } of channels)
    for (const time of curve.times)
      if (Number.isFinite(time) && time >= from - 1e-6 && time <= to + 1e-6) keys.add(time);
  const sorted = [...keys].sort((a, b) => a - b);
  const straight = channels.every(
    ({ element, curve }) =>
      (element.sort === 'matrix' || element.sort === 'translate' || element.sort === 'scale') &&
      curve.kinds.every((kind) => kind === 'LINEAR'),
  );
  if (straight || sorted.length < 2) return sorted;
  const out: number[] = [];
  for (let i = 0; i + 1 < sorted.length; i++) {
    const parts = Math.min(240, Math.max(1, Math.ceil((sorted[i + 1] - sorted[i]) / STEP - 1e-6)));
    for (let k = 0; k < parts && out.length < MOST_SAMPLES; k++)
      out.push(sorted[i] + ((sorted[i + 1] - sorted[i]) * k) / parts);
  }
  out.push(sorted[sorted.length - 1]);
  return out;
}

/** Writes the curve's values at a time into a transform's numbers. */
function evaluate(curve: Curve, time: number, values: Float64Array, at: number): void {
  const { times, output } = curve;
  let i = 0;
  while (i + 1 < times.length && times[i + 1] <= time) i++;
  const next = Math.min(i + 1, times.length - 1);
  const size = at < 0 ? Math.min(values.length, output.stride) : 1;
  const span = times[next] - times[i];
  const u = span > 0 ? Math.max(0, Math.min(1, (time - times[i]) / span)) : 0;
  for (let k = 0; k < size; k++) {
    const a = output.values[output.offset + i * output.stride + k],
      b = output.values[output.offset + next * output.stride + k];
    const kind = curve.kinds[i] ?? 'LINEAR';
    values[at < 0 ? k : at] =
      kind === 'STEP' || u === 0
        ? a
        : kind === 'BEZIER' && curve.outTangent && curve.inTangent
          ? bezier(curve, i, next, k, time, a, b)
          : kind === 'HERMITE' && curve.outTangent && curve.inTangent
            ? hermite(curve, i, next, k, u, a, b)
            : a + (b - a) * u;
  }
}

/** COLLADA 1.4 §4: tangents of one-dimensional curves are points (time, value); the parameter is found by bisection. */
function bezier(curve: Curve, i: number, next: number, k: number, time: number, a: number, b: number): number {
  const out = curve.outTangent as Source,
    inn = curve.inTangent as Source;
  const pairs = out.stride >= 2 * curve.output.stride;
  const t0 = curve.times[i],
    t3 = curve.times[next];
  const read = (source: Source, key: number, part: number) =>
    source.values[source.offset + key * source.stride + (pairs ? k * 2 + part : k)];
  const t1 = pairs ? read(out, i, 0) : t0 + (t3 - t0) / 3,
    t2 = pairs ? read(inn, next, 0) : t3 - (t3 - t0) / 3;
  const v1 = read(out, i, 1),
    v2 = read(inn, next, 1);
  const cubic = (p0: number, p1: number, p2: number, p3: number, s: number) =>
    (1 - s) ** 3 * p0 + 3 * (1 - s) ** 2 * s * p1 + 3 * (1 - s) * s * s * p2 + s ** 3 * p3;
  let low = 0,
    high = 1;
  for (let round = 0; round < 40; round++) {
    const middle = (low + high) / 2;
    if (cubic(t0, t1, t2, t3, middle) < time) low = middle;
    else high = middle;
  }
  const value = cubic(a, v1, v2, b, (low + high) / 2);
  return Number.isFinite(value) ? value : a;
}

function hermite(curve: Curve, i: number, next: number, k: number, u: number, a: number, b: number): number {
  const out = curve.outTangent as Source,
    inn = curve.inTangent as Source;
  const last = (source: Source, key: number) =>
    source.values[
      source.offset +
        key * source.stride +
        Math.min(source.stride - 1, source.stride >= 2 * curve.output.stride ? k * 2 + 1 : k)
    ];
  const u2 = u * u,
    u3 = u2 * u;
  return (
    (2 * u3 - 3 * u2 + 1) * a + (u3 - 2 * u2 + u) * last(out, i) + (-2 * u3 + 3 * u2) * b + (u3 - u2) * last(inn, next)
  );
}
