/**
 * Bounding-volume tree over triangles for closest-point queries; packed arrays, refitted in place when the
 * surface deforms. Built by median split on centroids (Ericson 2005, ch. 6). Positions are in one space, the
 * caller's; distances come back in its units.
 */
export class TriangleTree {
  private readonly order: Uint32Array;
  /** three per entry of `order`: its corners, so that those of a leaf lie side by side */
  private readonly corners: Uint32Array;
  /** six per node: min xyz, max xyz */
  private readonly box: Float32Array;
  /** per node: first triangle (leaf) or right child (inner) */
  private readonly link: Uint32Array;
  /** per node: triangles in a leaf, 0 for inner nodes */
  private readonly count: Uint16Array;
  /** per node: the one above, -1 for the root */
  private readonly parent: Int32Array;
  /** per triangle: the leaf it lies in */
  private readonly leafOf: Uint32Array;
  /** per node: 1 where something below it was moved by the last {@link refitAbove} */
  private readonly moved: Uint8Array;
  /** per node: 1, to look everywhere */
  private readonly all: Uint8Array;
  private readonly dirty: Uint32Array;
  /** boxes as they were before the last {@link refitAbove}, six per node of `dirty` */
  private readonly before: Float32Array;
  private changed = 0;
  private readonly around = new Float32Array(6);
  private nodes = 0;
  /** barycentric weights (of corners 2 and 3) of the last hit */
  readonly hit = { triangle: -1, v: 0, w: 0, distanceSquared: Infinity };
  private readonly stack = new Uint32Array(256);
  private readonly near = new Float64Array(256);

  constructor(
    private positions: Float32Array,
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
    this.moved = new Uint8Array(most);
    this.all = new Uint8Array(most).fill(1);
    this.dirty = new Uint32Array(most);
    this.before = new Float32Array(most * 6);
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
    this.forgetMoved();
    for (let node = this.nodes - 1; node >= 0; node--)
      if (this.count[node]) this.fitLeaf(node);
      else this.fitInner(node);
  }

  /** Takes new positions of which only the corners of the triangles in `changed` lie elsewhere: only the boxes above those are recomputed. */
  refitAbove(positions: Float32Array, changed: Uint32Array): void {
    this.positions = positions;
    this.forgetMoved();
    const { dirty, parent, leafOf, count, moved, box, before } = this;
    for (const triangle of changed)
      for (let node = leafOf[triangle]; node >= 0 && !moved[node]; node = parent[node]) moved[node] = 1;
    // A child's number is above its parent's.
    let n = 0;
    for (let node = this.nodes - 1; node >= 0; node--) {
      if (!moved[node]) continue;
      for (let k = 0, from = node * 6, to = n * 6; k < 6; k++) before[to + k] = box[from + k];
      dirty[n++] = node;
      if (count[node]) this.fitLeaf(node);
      else this.fitInner(node);
    }
    this.changed = n;
  }

  /** Takes the last {@link refitAbove} back: `positions` are those it was called on top of. */
  restore(positions: Float32Array): void {
    this.positions = positions;
    const { box, before, dirty } = this;
    for (let i = 0; i < this.changed; i++)
      for (let k = 0, to = dirty[i] * 6, from = i * 6; k < 6; k++) box[to + k] = before[from + k];
    this.forgetMoved();
  }

  private forgetMoved(): void {
    for (let i = 0; i < this.changed; i++) this.moved[this.dirty[i]] = 0;
    this.changed = 0;
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
    const { hit, parent, link, all } = this;
    hit.triangle = -1;
    hit.distanceSquared = Infinity;
    if (!this.nodes) return Infinity;
    if (hint < 0) {
      this.search(0, 0, x, y, z, all);
      return Math.sqrt(hit.distanceSquared);
    }
    this.tryTriangle(hint, this.indices, hint * 3, x, y, z);
    if (hit.distanceSquared < enough * enough) return Math.sqrt(hit.distanceSquared);
    let node = this.leafOf[hint];
    this.search(node, 0, x, y, z, all);
    while (node > 0) {
      const above = parent[node],
        beside = node === above + 1 ? link[above] : above + 1,
        distance = this.boxDistance(beside, x, y, z);
      if (distance < hit.distanceSquared) this.search(beside, distance, x, y, z, all);
      node = above;
    }
    return Math.sqrt(hit.distanceSquared);
  }

  /**
   * Whether anything that the last {@link refitAbove} moved lies nearer to (x, y, z) than `squared`, the squared distance
   * to something that it did not move; what lies nearest then is in {@link hit}.
   */
  closestMoved(x: number, y: number, z: number, squared: number): boolean {
    const { hit } = this;
    hit.triangle = -1;
    hit.distanceSquared = squared;
    if (this.changed) this.search(0, 0, x, y, z, this.moved);
    return hit.triangle >= 0;
  }

  /** Looks for something nearer than the hit so far in and below `from`, whose box is `distance` (squared) away, in nodes that `only` marks. */
  private search(from: number, distance: number, x: number, y: number, z: number, only: Uint8Array): void {
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
        if (further < hit.distanceSquared && only[leftFirst ? right : left]) {
          stack[top] = leftFirst ? right : left;
          near[top++] = further;
        }
        if (nearer < hit.distanceSquared && only[leftFirst ? left : right]) {
          stack[top] = leftFirst ? left : right;
          near[top++] = nearer;
        }
      }
    }
  }

  /** Closest point on one triangle by Voronoi regions (Ericson 2005, 5.1.5). */
  private tryTriangle(triangle: number, corners: Uint32Array, t: number, x: number, y: number, z: number): void {
    const p = this.positions;
    const a = corners[t] * 3,
      b = corners[t + 1] * 3,
      c = corners[t + 2] * 3;
    const ax = p[a],
      ay = p[a + 1],
      az = p[a + 2];
    const ux = p[b] - ax,
      uy = p[b + 1] - ay,
      uz = p[b + 2] - az;
    const vx = p[c] - ax,
      vy = p[c + 1] - ay,
      vz = p[c + 2] - az;
    const wx = x - ax,
      wy = y - ay,
      wz = z - az;
    const d1 = ux * wx + uy * wy + uz * wz,
      d2 = vx * wx + vy * wy + vz * wz;
    const uu = ux * ux + uy * uy + uz * uz,
      uv = ux * vx + uy * vy + uz * vz,
      vv = vx * vx + vy * vy + vz * vz;
    let s = 0,
      r = 0;
    const d3 = d1 - uu,
      d4 = d2 - uv,
      d5 = d1 - uv,
      d6 = d2 - vv;
    const vc = d1 * d4 - d3 * d2,
      vb = d5 * d2 - d1 * d6,
      va = d3 * d6 - d5 * d4;
    if (d1 <= 0 && d2 <= 0) {
      s = 0;
      r = 0;
    } else if (d3 >= 0 && d4 <= d3) {
      s = 1;
      r = 0;
    } else if (vc <= 0 && d1 >= 0 && d3 <= 0) {
      s = uu > 0 ? d1 / uu : 0;
      r = 0;
    } else if (d6 >= 0 && d5 <= d6) {
      s = 0;
      r = 1;
    } else if (vb <= 0 && d2 >= 0 && d6 <= 0) {
      s = 0;
      r = vv > 0 ? d2 / vv : 0;
    } else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
      const e = d4 - d3 + (d5 - d6);
      r = e > 0 ? (d4 - d3) / e : 0;
      s = 1 - r;
    } else {
      const e = va + vb + vc;
      s = e !== 0 ? vb / e : 0;
      r = e !== 0 ? vc / e : 0;
    }
    const dx = wx - ux * s - vx * r,
      dy = wy - uy * s - vy * r,
      dz = wz - uz * s - vz * r;
    const squared = dx * dx + dy * dy + dz * dz;
    if (squared < this.hit.distanceSquared) {
      this.hit.distanceSquared = squared;
      this.hit.triangle = triangle;
      this.hit.v = s;
      this.hit.w = r;
    }
  }
}

/** Writes the box of some points, min xyz and max xyz, to `out` from `at` on: those that `list` names from `from` to before `to`. */
function boundInto(
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
function selectNth(order: Uint32Array, key: Float32Array, axis: number, from: number, to: number, nth: number): void {
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
