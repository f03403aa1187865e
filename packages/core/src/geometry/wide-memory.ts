import type { KernelMemory } from './kernels/load.ts';
import type { WidePlan } from './wide-plan.ts';

/** As kernels/nearest.ts has them. */
export const NODE_BYTES = 128,
  LEAF_BYTES = 160;

/** @returns address of the nodes, their boxes empty */
export function layNodes(memory: KernelMemory, { nodes, children, parent }: WidePlan): number {
  const at = memory.take(nodes * NODE_BYTES),
    words = NODE_BYTES / 4,
    boxes = new Float32Array(memory.memory.buffer, at, nodes * words),
    links = new Int32Array(memory.memory.buffer, at, nodes * words);
  for (let n = 0; n < nodes; n++) {
    const o = n * words;
    boxes.fill(Infinity, o, o + 12);
    boxes.fill(-Infinity, o + 12, o + 24);
    for (let k = 0; k < 4; k++) links[o + 24 + k] = children[n * 4 + k];
    links[o + 28] = parent[n];
    links[o + 29] = 15;
    links[o + 30] = 0;
  }
  return at;
}

/** @returns addresses of the leaves, of where their corners' places lie, of the lane of each triangle, and of the node above each leaf */
export function layLeaves(
  memory: KernelMemory,
  { leaves, order, leafFrom, leafTo, leafNode }: WidePlan,
  indices: Uint32Array,
): { at: number; corners: number; slots: number; nodes: number } {
  const at = memory.take(leaves * LEAF_BYTES),
    names = new Int32Array(memory.memory.buffer, at, (leaves * LEAF_BYTES) / 4),
    corners = memory.words(leaves * 12),
    slots = memory.words(indices.length / 3),
    nodes = memory.ints(leaves);
  nodes.set(leafNode.subarray(0, leaves));
  for (let l = 0; l < leaves; l++)
    for (let lane = 0; lane < 4; lane++) {
      const i = leafFrom[l] + lane,
        t = order[Math.min(i, leafTo[l] - 1)];
      if (i < leafTo[l]) slots[t] = l * 4 + lane;
      names[(l * LEAF_BYTES) / 4 + 36 + lane] = t;
      for (let c = 0; c < 3; c++) corners[l * 12 + c * 4 + lane] = indices[t * 3 + c] * 12;
    }
  return { at, corners: corners.byteOffset, slots: slots.byteOffset, nodes: nodes.byteOffset };
}
