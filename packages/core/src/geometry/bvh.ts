import { closestOn } from './on-triangle.ts';

/**
 * Bounding-volume tree over triangles for closest-point queries; packed arrays, refitted in place when the
 * surface deforms. Built by median split on centroids (Ericson 2005, ch. 6). Positions are in one space, the
 * caller's; distances come back in its units.
 */
export class TriangleTree {
  protected readonly order: Uint32Array;
  /** three per entry of `order`: its corners, so that those of a leaf lie side by side */
  protected readonly corners: Uint32Array;
  /** six per node: min xyz, max xyz */
  protected readonly box: Float32Array;
  /** per node: first triangle (leaf) or right child (inner) */
  protected readonly link: Uint32Array;
  /** per node: triangles in a leaf, 0 for inner nodes */
  protected readonly count: Uint16Array;
  /** per node: the one above, -1 for the root */
  private readonly parent: Int32Array;
  /** per triangle: the leaf it lies in */
  private readonly leafOf: Uint32Array;
  private readonly around = new Float32Array(6);
  protected nodes = 0;
  /** barycentric weights (of corners 2 and 3) of the last hit */
  readonly hit = { triangle: -1, v: 0, w: 0, distanceSquared: Infinity };
  protected readonly stack = new Uint32Array(256);
  private readonly near = new Float64Array(256);

  constructor(
    protected positions: Float32Array,
    private readonly indices: Uint32Array,
    private readonly leafSize = 4,
  ) {
    const triangles = indices.length / 3;
    this.order = new Uint32Array(triangles);
    for (let i = 0; i < triangles; i++) this.order[i] = i;
    const most = Math.max(1, 4 * Math.ceil(triangles / Math.max(1, leafSize / 2)) + 1);
    this.box = new Float32Array(most * 6);
    this.link = new Uint32Array(most);
    this.count = new Uint16Array(most);
    this.parent = new Int32Array(most);
    this.leafOf = new Uint32Array(triangles);
    const centroid = new Float32Array(triangles * 3);
    for (let t = 0; t < triangles * 3; t += 3) {
      const a = indices[t] * 3,
        b = indices[t + 1] * 3,
        c = indices[t + 2] * 3;
      for (let k = 0; k < 3; k++) centroid[t + k] = (positions[a + k] + positions[b + k] + positions[c + k]) / 3;
    }
    if (triangles) this.split(centroid, 0, triangles, -1);
    this.corners = new Uint32Array(triangles * 3);
    for (let i = 0; i < triangles; i++)
      for (let k = 0; k < 3; k++) this.corners[i * 3 + k] = indices[this.order[i] * 3 + k];
    this.refit(positions);
  }

  private split(centroid: Float32Array, from: number, to: number, above: number): number {
    const node = this.nodes++;
    this.parent[node] = above;
    if (to - from <= this.leafSize) {
      this.link[node] = from;
      this.count[node] = to - from;
      for (let i = from; i < to; i++) this.leafOf[this.order[i]] = node;
      return node;
    }
    const { around } = this;
    boundInto(around, 0, centroid, this.order, from, to);
    const x = around[3] - around[0],
      y = around[4] - around[1],
      z = around[5] - around[2],
      axis = x >= y && x >= z ? 0 : y >= z ? 1 : 2;
    const middle = (from + to) >> 1;
    selectNth(this.order, centroid, axis, from, to - 1, middle);
    this.split(centroid, from, middle, node);
    this.link[node] = this.split(centroid, middle, to, node);
    return node;
  }

  /** Takes new positions (same topology) and recomputes all boxes, leaves first. */
  refit(positions: Float32Array): void {
    this.positions = positions;
    for (let node = this.nodes - 1; node >= 0; node--)
      if (this.count[node]) this.fitLeaf(node);
      else this.fitInner(node);
  }

  private fitLeaf(node: number): void {
    const from = this.link[node] * 3;
    boundInto(this.box, node * 6, this.positions, this.corners, from, from + this.count[node] * 3);
  }

  private fitInner(node: number): void {
    const { box } = this;
    const o = node * 6,
      left = (node + 1) * 6,
      right = this.link[node] * 6;
    for (let k = 0; k < 3; k++) {
      box[o + k] = box[left + k] < box[right + k] ? box[left + k] : box[right + k];
      box[o + 3 + k] = box[left + 3 + k] > box[right + 3 + k] ? box[left + 3 + k] : box[right + 3 + k];
    }
  }

  private boxDistance(node: number, x: number, y: number, z: number): number {
    const o = node * 6,
      b = this.box;
    const dx = x < b[o] ? b[o] - x : x > b[o + 3] ? x - b[o + 3] : 0;
    const dy = y < b[o + 1] ? b[o + 1] - y : y > b[o + 4] ? y - b[o + 4] : 0;
    const dz = z < b[o + 2] ? b[o + 2] - z : z > b[o + 5] ? z - b[o + 5] : 0;
    return dx * dx + dy * dy + dz * dz;
  }

  /**
   * Closest point of the surface to (x, y, z). `hint` is a triangle believed near (the last answer for this
   * sample): its distance bounds the search, which then climbs from its leaf to the root and looks into what lies
   * beside the way. The result is in {@link hit}.
   * @param enough a distance below which nothing nearer is looked for
   * @returns distance, Infinity for an empty mesh
   */
  closest(x: number, y: number, z: number, hint = -1, enough = 0): number {
    const { hit, parent, link } = this;
    hit.triangle = -1;
    hit.distanceSquared = Infinity;
    if (!this.nodes) return Infinity;
    if (hint < 0) {
      this.search(0, 0, x, y, z);
      return Math.sqrt(hit.distanceSquared);
    }
    this.tryTriangle(hint, this.indices, hint * 3, x, y, z);
    if (hit.distanceSquared < enough * enough) return Math.sqrt(hit.distanceSquared);
    let node = this.leafOf[hint];
    this.search(node, 0, x, y, z);
    while (node > 0) {
      const above = parent[node],
        beside = node === above + 1 ? link[above] : above + 1,
        distance = this.boxDistance(beside, x, y, z);
      if (distance < hit.distanceSquared) this.search(beside, distance, x, y, z);
      node = above;
    }
    return Math.sqrt(hit.distanceSquared);
  }

  /** Looks for something nearer than the hit so far in and below `from`, whose box is `distance` (squared) away. */
  private search(from: number, distance: number, x: number, y: number, z: number): void {
    const { hit, stack, near, link, count, order, corners } = this;
    let top = 1;
    stack[0] = from;
    near[0] = distance;
    while (top) {
      top--;
      if (near[top] >= hit.distanceSquared) continue;
      const node = stack[top];
      if (count[node]) {
        const end = link[node] + count[node];
        for (let i = link[node]; i < end; i++) this.tryTriangle(order[i], corners, i * 3, x, y, z);
      } else {
        const left = node + 1,
          right = link[node];
        const dl = this.boxDistance(left, x, y, z),
          dr = this.boxDistance(right, x, y, z),
          leftFirst = dl < dr;
        const further = leftFirst ? dr : dl,
          nearer = leftFirst ? dl : dr;
        if (further < hit.distanceSquared) {
          stack[top] = leftFirst ? right : left;
          near[top++] = further;
        }
        if (nearer < hit.distanceSquared) {
          stack[top] = leftFirst ? left : right;
          near[top++] = nearer;
        }
      }
    }
  }

  private tryTriangle(triangle: number, corners: Uint32Array, t: number, x: number, y: number, z: number): void {
    if (closestOn(this.positions, corners, t, x, y, z, this.hit)) this.hit.triangle = triangle;
  }
}

/** Writes the box of some points, min xyz and max xyz, to `out` from `at` on: those that `list` names from `from` to before `to`. */
export function boundInto(
  out: Float32Array,
  at: number,
  points: Float32Array,
  list: Uint32Array,
  from: number,
  to: number,
): void {
  let x0 = Infinity,
    y0 = Infinity,
    z0 = Infinity,
    x1 = -Infinity,
    y1 = -Infinity,
    z1 = -Infinity;
  for (let i = from; i < to; i++) {
    const p = list[i] * 3,
      x = points[p],
      y = points[p + 1],
      z = points[p + 2];
    if (x < x0) x0 = x;
    if (x > x1) x1 = x;
    if (y < y0) y0 = y;
    if (y > y1) y1 = y;
    if (z < z0) z0 = z;
    if (z > z1) z1 = z;
  }
  out[at] = x0;
  out[at + 1] = y0;
  out[at + 2] = z0;
  out[at + 3] = x1;
  out[at + 4] = y1;
  out[at + 5] = z1;
}

/** Quickselect (Hoare 1961): afterwards the entry at `nth` is in its sorted place, smaller ones before it. */
export function selectNth(
  order: Uint32Array,
  key: Float32Array,
  axis: number,
  from: number,
  to: number,
  nth: number,
): void {
  let low = from,
    high = to;
  while (low < high) {
    const pivot = key[order[(low + high) >> 1] * 3 + axis];
    let i = low,
      j = high;
    while (i <= j) {
      while (key[order[i] * 3 + axis] < pivot) i++;
      while (key[order[j] * 3 + axis] > pivot) j--;
      if (i <= j) {
        const swap = order[i];
        order[i] = order[j];
        order[j] = swap;
        i++;
        j--;
      }
    }
    if (nth <= j) high = j;
    else if (nth >= i) low = i;
    else return;
  }
}
