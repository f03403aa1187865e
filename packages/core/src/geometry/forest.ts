import NEAREST from './kernels/nearest.ts';
import { kernel, KernelMemory } from './kernels/load.ts';
import { closestOnTriangle } from './on-triangle.ts';
import { LEAF_BYTES, layLeaves, layNodes, NODE_BYTES } from './wide-memory.ts';
import { planWide } from './wide-plan.ts';

interface NearestKernel {
  use(...addresses: number[]): void;
  refit(): void;
  refitAbove(list: number, count: number): void;
  restore(list: number, count: number): void;
  nearestOf(
    points: number,
    group: number,
    hint: number,
    still: number,
    known: number,
    n: number,
    out: number,
    nearest: number,
    enough: number,
  ): void;
}
const start = kernel<NearestKernel>(NEAREST);
/** Points that are handed to the kernel at once. */
const AT_ONCE = 2048;

/** Points to be measured, and what is known of them before. */
export interface Asked {
  /** x, y, z of each. */
  points: Float64Array;
  /** Group of each point: it is measured to its like, or to all where there is nothing of that group. */
  groupAt(i: number): number;
  /** A triangle believed near a point, -1 where none is; asked for right before the point is measured. */
  hintAt(i: number): number;
  /** Squared distance to the hint of a point where neither was moved by the last {@link TriangleForest.refitAbove}; NaN where one was. */
  knownAt?(i: number): number;
  /** Told of each point: its nearest triangle, -1 where there is none, and the squared distance. */
  take(i: number, triangle: number, squared: number): void;
  /** A distance below which nothing nearer is looked for. */
  enough?: number;
}

/**
 * A surface in groups (parts that belong together), each with a tree of its own, so that a point can be measured to one of
 * them alone; refitted in place when the surface deforms. Distances are exact in double precision, whatever the tree
 * (kernels/nearest.ts says how). Positions are in one space, the caller's; distances come back in its units.
 */
export class TriangleForest {
  /** Triangle and barycentric weights (of corners 2 and 3) of the last answer of {@link closest}. */
  readonly hit = { triangle: -1, v: 0, w: 0, distanceSquared: Infinity };
  private readonly kernel: NearestKernel;
  private readonly place: Float32Array;
  private readonly list: Uint32Array;
  private changed = 0;
  private readonly ask: {
    points: Float64Array;
    group: Uint16Array;
    hint: Int32Array;
    still: Uint8Array;
    known: Float64Array;
    out: Float64Array;
    nearest: Int32Array;
  };
  private readonly holding: Uint8Array;

  /** @param groupOf group of each triangle, 0 … `groups` − 1 */
  constructor(
    positions: Float32Array,
    private readonly indices: Uint32Array,
    readonly groupOf: Uint16Array,
    readonly groups: number,
  ) {
    const plan = planWide(positions, indices, groupOf, groups),
      triangles = indices.length / 3;
    const memory = new KernelMemory(
      positions.length * 4 +
        plan.nodes * NODE_BYTES +
        plan.leaves * (LEAF_BYTES + 48 + 4 + 1) +
        triangles * (4 + 2 + 4) +
        groups * 4 +
        AT_ONCE * (24 + 2 + 4 + 1 + 8 + 8 + 4) +
        4096 +
        20 * 64,
    );
    this.kernel = start(memory.memory);
    this.place = memory.floats(positions.length);
    this.list = memory.words(triangles);
    const groupsAt = memory.take(triangles * 2),
      roots = memory.ints(groups);
    new Uint16Array(memory.memory.buffer, groupsAt, triangles).set(groupOf);
    roots.set(plan.roots);
    this.holding = Uint8Array.from(plan.roots, (root) => Number(root >= 0));
    const nodes = layNodes(memory, plan),
      leaves = layLeaves(memory, plan, indices);
    this.ask = {
      points: memory.doubles(AT_ONCE * 3),
      group: new Uint16Array(memory.memory.buffer, memory.take(AT_ONCE * 2), AT_ONCE),
      hint: memory.ints(AT_ONCE),
      still: memory.bytes(AT_ONCE),
      known: memory.doubles(AT_ONCE),
      out: memory.doubles(AT_ONCE),
      nearest: memory.ints(AT_ONCE),
    };
    this.kernel.use(
      this.place.byteOffset,
      nodes,
      plan.nodes,
      leaves.at,
      plan.leaves,
      leaves.corners,
      leaves.slots,
      leaves.nodes,
      memory.take(plan.leaves),
      groupsAt,
      roots.byteOffset,
      groups,
      memory.take(4096),
    );
    this.refit(positions);
  }

  /** Whether there is anything in a group to measure to. */
  holds(group: number): boolean {
    return this.holding[group] === 1;
  }

  /** Takes new positions (same topology) and recomputes all boxes. */
  refit(positions: Float32Array): void {
    this.place.set(positions);
    this.changed = 0;
    this.kernel.refit();
  }

  /** Takes new positions of which only the corners of the triangles in `changed` lie elsewhere: only the boxes above those are recomputed. */
  refitAbove(positions: Float32Array, changed: Uint32Array): void {
    this.restoreMarks();
    this.place.set(positions);
    this.list.set(changed);
    this.changed = changed.length;
    this.kernel.refitAbove(this.list.byteOffset, changed.length);
  }

  /** Takes the last {@link refitAbove} back: `positions` are those it was called on top of. */
  restore(positions: Float32Array): void {
    this.place.set(positions);
    this.restoreMarks();
  }

  private restoreMarks(): void {
    if (this.changed) this.kernel.restore(this.list.byteOffset, this.changed);
    this.changed = 0;
  }

  /** Measures many points, in their order. */
  measure({ points, groupAt, hintAt, knownAt, take, enough = 0 }: Asked): void {
    const { ask } = this,
      n = points.length / 3;
    for (let from = 0; from < n; from += AT_ONCE) {
      const count = Math.min(AT_ONCE, n - from);
      ask.points.set(points.subarray(from * 3, (from + count) * 3));
      for (let i = 0; i < count; i++) {
        const known = knownAt ? knownAt(from + i) : NaN;
        ask.group[i] = groupAt(from + i);
        ask.hint[i] = hintAt(from + i);
        ask.still[i] = known >= 0 ? 1 : 0;
        ask.known[i] = known;
      }
      this.run(count, enough);
      for (let i = 0; i < count; i++) take(from + i, ask.nearest[i], ask.out[i]);
    }
  }

  /**
   * Closest point to (x, y, z) in a group, or in all where it holds nothing; the answer is in {@link hit}.
   * @param hint triangle believed near
   * @returns distance, Infinity for an empty surface
   */
  closest(group: number, x: number, y: number, z: number, hint = -1, enough = 0): number {
    const { ask, hit } = this;
    ask.points[0] = x;
    ask.points[1] = y;
    ask.points[2] = z;
    ask.group[0] = group;
    ask.hint[0] = hint;
    ask.still[0] = 0;
    this.run(1, enough);
    hit.triangle = ask.nearest[0];
    hit.distanceSquared = ask.out[0];
    if (hit.triangle >= 0) closestOnTriangle(this.place, this.indices, hit.triangle, x, y, z, hit);
    return Math.sqrt(ask.out[0]);
  }

  private run(count: number, enough: number): void {
    const { points, group, hint, still, known, out, nearest } = this.ask;
    this.kernel.nearestOf(
      points.byteOffset,
      group.byteOffset,
      hint.byteOffset,
      still.byteOffset,
      known.byteOffset,
      count,
      out.byteOffset,
      nearest.byteOffset,
      enough * enough,
    );
  }
}
