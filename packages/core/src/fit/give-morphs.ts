import type { Document, Mesh, Node } from '@gltf-transform/core';
import { dropChannel, floatsOf, swapSampler } from '../character/index.ts';
import type { ReplacedPart } from './replaced.ts';

/**
 * Gives a mesh the list of morphs of what it takes the place of, none of which moves anything yet, with the clips that play them.
 * @param from what it takes the place of, the most of it first
 * @param nodes by the name of a part, the node that held it
 * @param own morphs that it has besides
 */
export function giveMorphs(
  document: Document,
  mesh: Mesh,
  node: Node,
  from: readonly ReplacedPart[],
  nodes: ReadonlyMap<string, Node>,
  own: readonly string[] = [],
): void {
  const names = [...new Set([...from.flatMap(({ morphs }) => morphs), ...own])],
    most = from[0],
    before = most && nodes.get(most.name);
  mesh.setExtras({ ...mesh.getExtras(), ...(names.length && { targetNames: names }) });
  for (const prim of mesh.listPrimitives()) {
    const count = prim.getAttribute('POSITION')?.getCount() ?? 0;
    for (const name of names)
      prim.addTarget(
        document.createPrimitiveTarget(name).setAttribute(
          'POSITION',
          document
            .createAccessor()
            .setType('VEC3')
            .setArray(new Float32Array(count * 3))
            .setSparse(true),
        ),
      );
  }
  if (!before) return;
  const weights = before.getWeights();
  if (weights.length) node.setWeights(names.map((_, i) => weights[i] ?? 0));
  for (const clip of document.getRoot().listAnimations())
    for (const channel of clip.listChannels()) {
      if (channel.getTargetNode() !== before || channel.getTargetPath() !== 'weights') continue;
      const output = channel.getSampler()?.getOutput();
      if (!names.length || !output) {
        dropChannel(document, channel);
        continue;
      }
      channel.setTargetNode(node);
      if (names.length !== most.morphs.length)
        swapSampler(document, channel, 'SCALAR', widened(floatsOf(output), most.morphs.length, names.length));
    }
}

/** Rows of weights with more columns, which are still. */
function widened(values: Float32Array, columns: number, wider: number): Float32Array {
  const rows = Math.floor(values.length / columns),
    out = new Float32Array(rows * wider);
  for (let row = 0; row < rows; row++) out.set(values.subarray(row * columns, (row + 1) * columns), row * wider);
  return out;
}
