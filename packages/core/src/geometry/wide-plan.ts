import { boundInto, selectNth } from './bvh.ts';

/** No child: a node of four has fewer. */
export const NO_CHILD = -(2 ** 31);
const LEAF = 4;

/** Trees of four children a node and four triangles a leaf over groups of triangles; a child's number is above its parent's. */
export interface WidePlan {
  nodes: number;
  leaves: number;
  /** Four a node: a node's number, ~ a leaf's, or {@link NO_CHILD}. */
  children: Int32Array;
  /** -1 above a root. */
  parent: Int32Array;
  /** Triangles in the order of leaves, and where each leaf's begin and end in it. */
  order: Uint32Array;
  leafFrom: Uint32Array;
  leafTo: Uint32Array;
  leafNode: Int32Array;
  /** Of each group, -1 where it holds nothing. */
  roots: Int32Array;
}

/** Splits by the median of centroids along the longest side, at multiples of four, so that leaves are full (Ericson 2005, ch. 6). */
export function planWide(
  positions: Float32Array,
  indices: Uint32Array,
  groupOf: Uint16Array,
  groups: number,
): WidePlan {
  const triangles = indices.length / 3,
    sizes = new Uint32Array(groups + 1);
  for (let t = 0; t < triangles; t++) sizes[groupOf[t] + 1]++;
  let most = 0;
  for (let g = 0; g < groups; g++) most += Math.ceil(sizes[g + 1] / LEAF);
  for (let g = 0; g < groups; g++) sizes[g + 1] += sizes[g];
  const order = new Uint32Array(triangles),
    place = sizes.slice();
  for (let t = 0; t < triangles; t++) order[place[groupOf[t]]++] = t;
  const plan: WidePlan = {
    nodes: 0,
    leaves: 0,
    children: new Int32Array(most * 4).fill(NO_CHILD),
    parent: new Int32Array(most).fill(-1),
    order,
    leafFrom: new Uint32Array(most),
    leafTo: new Uint32Array(most),
    leafNode: new Int32Array(most),
    roots: new Int32Array(groups).fill(-1),
  };
  const halve = halver(order, centroidsOf(positions, indices));
  for (let g = 0; g < groups; g++)
    if (sizes[g] < sizes[g + 1]) plan.roots[g] = build(plan, halve, sizes[g], sizes[g + 1], -1);
  return plan;
}

type Halve = (from: number, to: number) => number;

function build(plan: WidePlan, halve: Halve, from: number, to: number, parent: number): number {
  const node = plan.nodes++;
  plan.parent[node] = parent;
  // Into two and each of these into two again.
  const middle = to - from > LEAF ? halve(from, to) : to,
    first = middle - from > LEAF ? halve(from, middle) : middle,
    last = to - middle > LEAF ? halve(middle, to) : to;
  let lane = node * 4;
  for (const [a, b] of [
    [from, first],
    [first, middle],
    [middle, last],
    [last, to],
  ])
    if (a < b) plan.children[lane++] = b - a <= LEAF ? leaf(plan, a, b, node) : build(plan, halve, a, b, node);
  return node;
}

function leaf(plan: WidePlan, from: number, to: number, node: number): number {
  const number = plan.leaves++;
  plan.leafFrom[number] = from;
  plan.leafTo[number] = to;
  plan.leafNode[number] = node;
  return ~number;
}

function centroidsOf(positions: Float32Array, indices: Uint32Array): Float32Array {
  const out = new Float32Array(indices.length);
  for (let t = 0; t < indices.length; t += 3) {
    const a = indices[t] * 3,
      b = indices[t + 1] * 3,
      c = indices[t + 2] * 3;
    for (let k = 0; k < 3; k++) out[t + k] = (positions[a + k] + positions[b + k] + positions[c + k]) / 3;
  }
  return out;
}

function halver(order: Uint32Array, key: Float32Array): Halve {
  const around = new Float32Array(6);
  return (from, to) => {
    boundInto(around, 0, key, order, from, to);
    const x = around[3] - around[0],
      y = around[4] - around[1],
      z = around[5] - around[2],
      middle = from + Math.max(LEAF, Math.round((to - from) / (2 * LEAF)) * LEAF);
    selectNth(order, key, x >= y && x >= z ? 0 : y >= z ? 1 : 2, from, to - 1, middle);
    return middle;
  };
}
