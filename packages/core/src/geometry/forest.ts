import { TriangleTree } from './bvh.ts';

/**
 * A surface in groups (parts that belong together), each with a tree of its own, so that a point can be measured to
 * one of them alone. Triangles keep the numbers they have in the whole.
 */
export class TriangleForest {
  /** Triangle of the whole and barycentric weights (of corners 2 and 3) of the last answer. */
  readonly hit = { triangle: -1, v: 0, w: 0, distanceSquared: Infinity };
  private readonly trees: TriangleTree[] = [];
  /** per group: its triangles, numbered as in the whole */
  private readonly members: Uint32Array[] = [];
  /** per triangle of the whole: its number in its group */
  private readonly place: Uint32Array;
  private touched: number[] = [];

  /** @param groupOf group of each triangle, 0 … `groups` − 1 */
  constructor(
    positions: Float32Array,
    indices: Uint32Array,
    readonly groupOf: Uint16Array,
    readonly groups: number,
  ) {
    const sizes = new Uint32Array(groups);
    for (let t = 0; t < groupOf.length; t++) sizes[groupOf[t]]++;
    this.place = new Uint32Array(groupOf.length);
    for (let g = 0; g < groups; g++) this.members.push(new Uint32Array(sizes[g]));
    sizes.fill(0);
    for (let t = 0; t < groupOf.length; t++) {
      const g = groupOf[t];
      this.place[t] = sizes[g];
      this.members[g][sizes[g]++] = t;
    }
    for (const own of this.members) {
      const corners = new Uint32Array(own.length * 3);
      for (let i = 0; i < own.length; i++) for (let k = 0; k < 3; k++) corners[i * 3 + k] = indices[own[i] * 3 + k];
      this.trees.push(new TriangleTree(positions, corners));
    }
  }

  /** Whether there is anything in a group to measure to. */
  holds(group: number): boolean {
    return group >= 0 && group < this.groups && this.members[group].length > 0;
  }

  /** Takes new positions (same topology). */
  refit(positions: Float32Array): void {
    for (const tree of this.trees) tree.refit(positions);
  }

  /** As {@link TriangleTree.refitAbove}, `changed` numbered as in the whole, ascending. */
  refitAbove(positions: Float32Array, changed: Uint32Array): void {
    const lists: number[][] = this.trees.map(() => []);
    for (const triangle of changed) lists[this.groupOf[triangle]].push(this.place[triangle]);
    this.touched = [];
    lists.forEach((list, g) => {
      if (list.length) {
        this.trees[g].refitAbove(positions, Uint32Array.from(list));
        this.touched.push(g);
      }
    });
  }

  /** Takes the last {@link refitAbove} back. */
  restore(positions: Float32Array): void {
    for (const g of this.touched) this.trees[g].restore(positions);
    this.touched = [];
  }

  /**
   * Closest point to (x, y, z) in a group, or in all where it holds nothing; the answer is in {@link hit}.
   * @param hint triangle believed near, numbered as in the whole
   * @returns distance, Infinity for an empty surface
   */
  closest(group: number, x: number, y: number, z: number, hint = -1, enough = 0): number {
    const { hit } = this;
    hit.triangle = -1;
    hit.distanceSquared = Infinity;
    if (this.holds(group)) {
      this.look(group, x, y, z, hint, enough);
      return Math.sqrt(hit.distanceSquared);
    }
    for (let g = 0; g < this.groups; g++) this.look(g, x, y, z, hint, enough);
    return Math.sqrt(hit.distanceSquared);
  }

  /**
   * As {@link closest} after {@link refitAbove}, for a point whose nearest triangle was not moved by it: only what was
   * moved can lie nearer, and nothing else is looked at.
   * @param nearest that triangle, numbered as in the whole
   * @param squared its squared distance
   */
  closestMoved(group: number, x: number, y: number, z: number, nearest: number, squared: number): number {
    const { hit } = this;
    hit.triangle = nearest;
    hit.distanceSquared = squared;
    for (const g of this.touched) {
      if (g !== group && this.holds(group)) continue;
      const tree = this.trees[g];
      if (tree.closestMoved(x, y, z, hit.distanceSquared)) this.take(g);
    }
    return Math.sqrt(hit.distanceSquared);
  }

  private look(group: number, x: number, y: number, z: number, hint: number, enough: number): void {
    const tree = this.trees[group],
      own = hint >= 0 && this.groupOf[hint] === group ? this.place[hint] : -1;
    tree.closest(x, y, z, own, enough);
    if (tree.hit.triangle >= 0 && tree.hit.distanceSquared < this.hit.distanceSquared) this.take(group);
  }

  private take(group: number): void {
    const tree = this.trees[group];
    this.hit.distanceSquared = tree.hit.distanceSquared;
    this.hit.triangle = this.members[group][tree.hit.triangle];
    this.hit.v = tree.hit.v;
    this.hit.w = tree.hit.w;
  }
}
