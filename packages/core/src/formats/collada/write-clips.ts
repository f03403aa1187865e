import type { Document, Node } from '@gltf-transform/core';
import { floatsOf } from '../../character/index.ts';
import { invertAffine, multiply } from '../../geometry/index.ts';
import { sampleClips } from '../../rig/index.ts';
import { attribute, source } from './write-text.ts';

type Ids = ReadonlyMap<Node, string>;

/** One curve of whole matrices, by rows, for a node. */
function matrixCurve(
  id: string,
  name: string,
  node: string,
  times: Float32Array,
  rows: Float32Array,
  how: string,
): string {
  return `<animation id="${id}" name="${attribute(name)}">${source(`${id}-i`, times, 1, 'T')}${source(`${id}-o`, rows, 16, 'T')}<source id="${id}-k"><Name_array id="${id}-ka" count="${times.length}">${`${how} `.repeat(times.length).trim()}</Name_array><technique_common><accessor source="#${id}-ka" count="${times.length}" stride="1"><param name="INTERPOLATION" type="name"/></accessor></technique_common></source><sampler id="${id}-s"><input semantic="INPUT" source="#${id}-i"/><input semantic="OUTPUT" source="#${id}-o"/><input semantic="INTERPOLATION" source="#${id}-k"/></sampler><channel source="#${id}-s" target="${node}/transform"/></animation>`;
}
const libraryOf = (curves: readonly string[]): string =>
  curves.length ? `<library_animations>\n${curves.join('\n')}\n</library_animations>` : '';

/** Rotation clips as matrices, one per key of the joint's own sampler. */
export function turningCurves(document: Document, ids: Ids): string {
  const out: string[] = [];
  document
    .getRoot()
    .listAnimations()
    .forEach((clip, c) => {
      clip.listChannels().forEach((channel, i) => {
        const node = channel.getTargetNode(),
          sampler = channel.getSampler(),
          input = sampler?.getInput(),
          output = sampler?.getOutput();
        if (!node || !input || !output || channel.getTargetPath() !== 'rotation') return;
        const times = floatsOf(input),
          turns = floatsOf(output),
          kept = node.getRotation();
        const rows = new Float32Array(times.length * 16);
        for (let k = 0; k < times.length; k++) {
          node.setRotation([turns[k * 4], turns[k * 4 + 1], turns[k * 4 + 2], turns[k * 4 + 3]]);
          const m = node.getMatrix();
          for (let e = 0; e < 16; e++) rows[k * 16 + e] = m[(e % 4) * 4 + (e >> 2)];
        }
        node.setRotation(kept);
        out.push(matrixCurve(`clip${c}-${i}`, clip.getName(), ids.get(node) as string, times, rows, 'LINEAR'));
      });
    });
  return libraryOf(out);
}

/**
 * Every clip whole: nodes that it moves, as matrices at all of its keys, and the clips by name. Animations stand side by side:
 * readers of clips stumble over nested ones.
 */
export function wholeClips(document: Document, ids: Ids): string {
  const curves: string[] = [],
    clips: string[] = [],
    all = new Set(document.getRoot().listNodes());
  sampleClips(document, all).forEach(({ clip, times, interpolation, global }, c) => {
    const moved = new Set(
      clip
        .listChannels()
        .filter((channel) => channel.getTargetPath() !== 'weights')
        .map((channel) => channel.getTargetNode()),
    );
    const own = [...ids].flatMap(([node, id], i) => (moved.has(node) ? [{ id: `clip${c}-${i}`, node, to: id }] : []));
    for (const { id, node, to } of own)
      curves.push(matrixCurve(id, node.getName(), to, times, localRows(node, global, times.length), interpolation));
    clips.push(
      `<animation_clip id="clip${c}" name="${attribute(clip.getName())}" start="${times[0] ?? 0}" end="${times.at(-1) ?? 0}">${own.map(({ id }) => `<instance_animation url="#${id}"/>`).join('')}</animation_clip>`,
    );
  });
  return clips.length
    ? `${libraryOf(curves)}\n<library_animation_clips>${clips.join('\n')}</library_animation_clips>`
    : '';
}

/** A node's own matrices by rows, from where it and what it hangs in are. */
function localRows(node: Node, global: (node: Node) => Float64Array, count: number): Float32Array {
  const own = global(node),
    parent = node.getParentNode(),
    above = parent && global(parent),
    local = new Float64Array(16),
    inverse = new Float64Array(16),
    rows = new Float32Array(count * 16);
  for (let k = 0; k < count; k++) {
    if (above) {
      invertAffine(inverse, 0, above, k * 16);
      multiply(local, 0, inverse, 0, own, k * 16);
    } else local.set(own.subarray(k * 16, k * 16 + 16));
    for (let e = 0; e < 16; e++) rows[k * 16 + e] = local[(e % 4) * 4 + (e >> 2)];
  }
  return rows;
}
