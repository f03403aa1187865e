import type { Animation, AnimationChannel, Document, Node } from '@gltf-transform/core';
import { addChannel, nodesParentsFirst } from '../character/index.ts';
import { compose, decompose, invertAffine, multiply, type Quat } from '../geometry/index.ts';

/** A clip as global matrices: what skeletons with other parents and axes can take over exactly at every key. */
export interface SampledClip {
  clip: Animation;
  times: Float32Array;
  interpolation: 'LINEAR' | 'STEP';
  /** Global matrices of a node, 16 per time. */
  global(node: Node): Float64Array;
}

const MOST_KEYS = 20_000;
/** Between keys of a curved channel there is more to see. */
const CURVE_STEP = 1 / 60;

type Path = 'translation' | 'rotation' | 'scale';
const SIZE: Readonly<Record<Path, 3 | 4>> = { translation: 3, rotation: 4, scale: 3 };
const isPath = (path: string | null): path is Path => path === 'translation' || path === 'rotation' || path === 'scale';

/**
 * Samples every clip that drives one of `joints`, at the union of its keys.
 * @param every seconds from one sample to the next instead, from the first key to the last
 */
export function sampleClips(document: Document, joints: ReadonlySet<Node>, every?: number): SampledClip[] {
  const nodes = nodesParentsFirst(document),
    out: SampledClip[] = [];
  for (const clip of document.getRoot().listAnimations()) {
    const channels = clip
      .listChannels()
      .filter((channel) => isPath(channel.getTargetPath()) && channel.getTargetNode());
    if (!channels.some((channel) => joints.has(channel.getTargetNode() as Node))) continue;
    const keys = timesOf(channels),
      times = every ? evenTimes(keys, every) : keys,
      samples = nodes.map((node) =>
        localsOf(
          node,
          channels.filter((channel) => channel.getTargetNode() === node),
          times,
        ),
      );
    const globals = new Map<Node, Float64Array>();
    nodes.forEach((node, i) => {
      const parent = node.getParentNode(),
        above = parent ? globals.get(parent) : undefined,
        local = samples[i];
      if (!above) {
        globals.set(node, local);
        return;
      }
      const global = new Float64Array(local.length);
      for (let o = 0; o < local.length; o += 16) multiply(global, o, above, o, local, o);
      globals.set(node, global);
    });
    const interpolation = channels.every((channel) => channel.getSampler()?.getInterpolation() === 'STEP')
      ? 'STEP'
      : 'LINEAR';
    out.push({ clip, times, interpolation, global: (node) => globals.get(node) as Float64Array });
  }
  return out;
}

function evenTimes(keys: Float32Array, every: number): Float32Array {
  const first = keys[0] ?? 0,
    count = Math.min(MOST_KEYS, Math.round(((keys.at(-1) ?? first) - first) / every) + 1);
  return Float32Array.from({ length: count }, (_, i) => first + i * every);
}

function timesOf(channels: readonly AnimationChannel[]): Float32Array {
  const all = new Set<number>();
  for (const channel of channels) {
    const input = channel.getSampler()?.getInput()?.getArray();
    if (!input?.length) continue;
    for (const time of input) if (Number.isFinite(time)) all.add(time);
    if (channel.getSampler()?.getInterpolation() === 'CUBICSPLINE')
      for (let time = input[0]; time < input[input.length - 1] && all.size < MOST_KEYS; time += CURVE_STEP)
        all.add(Math.fround(time));
  }
  return Float32Array.from([...all].sort((a, b) => a - b).slice(0, MOST_KEYS));
}

function localsOf(node: Node, channels: readonly AnimationChannel[], times: Float32Array): Float64Array {
  const rest: Record<Path, readonly number[]> = {
    translation: node.getTranslation(),
    rotation: node.getRotation(),
    scale: node.getScale(),
  };
  const tracks: Partial<Record<Path, (time: number) => readonly number[]>> = {};
  for (const channel of channels) {
    const path = channel.getTargetPath();
    if (isPath(path)) {
      const track = trackOf(channel, SIZE[path]);
      if (track) tracks[path] = track;
    }
  }
  const out = new Float64Array(times.length * 16);
  times.forEach((time, i) =>
    compose(
      out,
      i * 16,
      tracks.translation?.(time) ?? rest.translation,
      tracks.rotation?.(time) ?? rest.rotation,
      tracks.scale?.(time) ?? rest.scale,
    ),
  );
  return out;
}

/** Value of a channel at any time (glTF 2.0, appendix C: step, linear and spherical, cubic Hermite). */
function trackOf(channel: AnimationChannel, size: 3 | 4): ((time: number) => readonly number[]) | null {
  const sampler = channel.getSampler(),
    input = sampler?.getInput()?.getArray(),
    output = sampler?.getOutput();
  const mode = sampler?.getInterpolation(),
    cubic = mode === 'CUBICSPLINE';
  if (!input?.length || !output || output.getCount() < input.length * (cubic ? 3 : 1)) return null;
  const element: number[] = [],
    read = (row: number) => output.getElement(row, element).slice(0, size);
  const normal = (q: number[]) => {
    if (size === 3) return q;
    const l = Math.hypot(...q) || 1;
    return q.map((x) => x / l);
  };
  return (time) => {
    let high = input.length - 1,
      low = 0;
    while (low < high) {
      const middle = (low + high) >> 1;
      if (input[middle] < time) low = middle + 1;
      else high = middle;
    }
    const value = (key: number) => read(cubic ? key * 3 + 1 : key);
    if (input[low] <= time || low === 0) return normal(value(low));
    const a = low - 1,
      span = input[low] - input[a] || 1,
      t = (time - input[a]) / span;
    if (mode === 'STEP') return normal(value(a));
    const va = value(a),
      vb = value(low);
    if (!cubic) return size === 4 ? slerp(va as Quat, vb as Quat, t) : va.map((x, k) => x + (vb[k] - x) * t);
    const out = read(a * 3 + 2),
      into = read(low * 3),
      t2 = t * t,
      t3 = t2 * t;
    return normal(
      va.map(
        (x, k) =>
          (2 * t3 - 3 * t2 + 1) * x +
          (t3 - 2 * t2 + t) * span * out[k] +
          (3 * t2 - 2 * t3) * vb[k] +
          (t3 - t2) * span * into[k],
      ),
    );
  };
}

export function slerp(a: Quat, b: Quat, t: number): Quat {
  let d = a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3];
  const s = d < 0 ? -1 : 1;
  d = Math.min(1, Math.abs(d));
  const angle = Math.acos(d),
    sine = Math.sin(angle);
  const [u, w] = sine < 1e-6 ? [1 - t, t * s] : [Math.sin((1 - t) * angle) / sine, (Math.sin(t * angle) / sine) * s];
  const q = [0, 1, 2, 3].map((k) => a[k] * u + b[k] * w),
    l = Math.hypot(...q) || 1;
  return q.map((x) => x / l) as Quat;
}

/**
 * Replaces a clip's channels on `before` by such as drive `joints` through the sampled globals. `globalOf` gives the
 * global of a new joint at a time, parents first; null leaves it where its parent carries it.
 */
export function writeClip(
  document: Document,
  { clip, times, interpolation }: SampledClip,
  before: ReadonlySet<Node>,
  joints: readonly { node: Node; parent: number }[],
  globalOf: (joint: number, time: number, out: Float64Array) => boolean,
): void {
  for (const channel of clip.listChannels())
    if (before.has(channel.getTargetNode() as Node) && isPath(channel.getTargetPath())) {
      channel.getSampler()?.dispose();
      channel.dispose();
    }
  const input = document.createAccessor().setType('SCALAR').setArray(Float32Array.from(times));
  const rotations = joints.map(() => new Float32Array(times.length * 4)),
    translations = joints.map(() => new Float32Array(times.length * 3)),
    scales = joints.map(() => new Float32Array(times.length * 3));
  const global = new Float64Array(joints.length * 16),
    local = new Float64Array(16),
    inverse = new Float64Array(16);
  const rest = joints.map(({ node }) => {
    const m = new Float64Array(16);
    compose(m, 0, node.getTranslation(), node.getRotation(), node.getScale());
    return m;
  });
  for (let i = 0; i < times.length; i++)
    joints.forEach(({ parent }, j) => {
      const own = global.subarray(j * 16, j * 16 + 16);
      if (!globalOf(j, i, own)) {
        if (parent >= 0) multiply(global, j * 16, global, parent * 16, rest[j], 0);
        else own.set(rest[j]);
      }
      if (parent >= 0) {
        invertAffine(inverse, 0, global, parent * 16);
        multiply(local, 0, inverse, 0, own, 0);
      } else local.set(own);
      const { translation, rotation, scale } = decompose(local);
      const q = rotations[j],
        o = i * 4;
      // The same turn has two quaternions; neighbours have to take the same one.
      const flip =
        i && q[o - 4] * rotation[0] + q[o - 3] * rotation[1] + q[o - 2] * rotation[2] + q[o - 1] * rotation[3] < 0
          ? -1
          : 1;
      for (let k = 0; k < 4; k++) q[o + k] = rotation[k] * flip;
      translations[j].set(translation, i * 3);
      scales[j].set(scale, i * 3);
    });
  joints.forEach(({ node }, j) => {
    const put = (path: Path, values: Float32Array<ArrayBuffer>, stand: readonly number[], least: number) => {
      const size = SIZE[path],
        same = (k: number) => Math.abs(Math.abs(values[k]) - Math.abs(stand[k % size])) <= least;
      if (
        values.every((_, k) => same(k)) &&
        (path === 'rotation' ? sameTurn(values, stand) : values.every((x, k) => Math.abs(x - stand[k % size]) <= least))
      )
        return;
      addChannel(document, clip, node, path, input, values, interpolation);
    };
    put('rotation', rotations[j], node.getRotation(), 1e-6);
    put('translation', translations[j], node.getTranslation(), 1e-6);
    put('scale', scales[j], node.getScale(), 1e-5);
  });
}

function sameTurn(values: Float32Array, stand: readonly number[]): boolean {
  for (let i = 0; i < values.length; i += 4)
    if (
      Math.abs(values[i] * stand[0] + values[i + 1] * stand[1] + values[i + 2] * stand[2] + values[i + 3] * stand[3]) <
      1 - 1e-9
    )
      return false;
  return true;
}
