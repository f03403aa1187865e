/**
 * Bounding-volume tree over triangles for closest-point queries; packed arrays, refitted in place when the
 * surface deforms. Built by median split on centroids (Ericson 2005, ch. 6). Positions are in one space, the
 * caller's; distances come back in its units.
 */
export class TriangleTree {
  private readonly order: Uint32Array;
  /** six per node: min xyz, max xyz */
  private readonly box: Float32Array;
  /** per node: first triangle (leaf) or right child (inner) */
  private readonly link: Uint32Array;
  /** per node: triangles in a leaf, 0 for inner nodes */
  private readonly count: Uint16Array;
  private nodes = 0;
  /** barycentric weights (of corners 2 and 3) of the last hit */
  readonly hit = { triangle: -1, v: 0, w: 0, distanceSquared: Infinity };
  private readonly stack = new Uint32Array(256);
  private readonly near = new Float64Array(256);

  constructor(private positions: Float32Array, private readonly indices: Uint32Array, private readonly leafSize = 6) {
    const triangles = indices.length / 3;
    this.order = new Uint32Array(triangles);
    for (let i = 0; i < triangles; i++) this.order[i] = i;
    const most = Math.max(1, 4 * Math.ceil(triangles / Math.max(1, leafSize / 2)) + 1);
    this.box = new Float32Array(most * 6);
    this.link = new Uint32Array(most);
    this.count = new Uint16Array(most);
    const centroid = new Float32Array(triangles * 3);
    for (let t = 0; t < triangles; t++) {
      for (let k = 0; k < 3; k++) {
        centroid[t * 3 + k] = (positions[indices[t * 3] * 3 + k] + positions[indices[t * 3 + 1] * 3 + k] + positions[indices[t * 3 + 2] * 3 + k]) / 3;
      }
    }
    if (triangles) this.split(centroid, 0, triangles);
    this.refit(positions);
  }

  private split(centroid: Float32Array, from: number, to: number): number {
    const node = this.nodes++;
    if (to - from <= this.leafSize) {
      this.link[node] = from;
      this.count[node] = to - from;
      return node;
    }
    const low = [Infinity, Infinity, Infinity], high = [-Infinity, -Infinity, -Infinity];
    for (let i = from; i < to; i++) {
      const c = this.order[i] * 3;
      for (let k = 0; k < 3; k++) {
        if (centroid[c + k] < low[k]) low[k] = centroid[c + k];
        if (centroid[c + k] > high[k]) high[k] = centroid[c + k];
      }
    }
    const extent = [high[0] - low[0], high[1] - low[1], high[2] - low[2]];
    const axis = extent[0] >= extent[1] && extent[0] >= extent[2] ? 0 : extent[1] >= extent[2] ? 1 : 2;
    const middle = (from + to) >> 1;
    selectNth(this.order, centroid, axis, from, to - 1, middle);
    this.split(centroid, from, middle);
    this.link[node] = this.split(centroid, middle, to);
    return node;
  }

  /**
   * Takes new positions (same topology) and recomputes boxes, leaves first: all of them, or only those above the
   * triangles that `changed` marks, where the others lie as they lay before.
   */
  refit(positions: Float32Array, changed?: Uint8Array): void {
    this.positions = positions;
    const { link, count } = this;
    const dirty = changed ? new Uint8Array(this.nodes) : null;
    for (let node = this.nodes - 1; node >= 0; node--) {
      if (dirty && changed) {
        dirty[node] = count[node] ? this.leafMarked(node, changed) : dirty[node + 1] | dirty[link[node]];
        if (!dirty[node]) continue;
      }
      if (count[node]) this.fitLeaf(node); else this.fitInner(node);
    }
  }

  private leafMarked(node: number, changed: Uint8Array): number {
    for (let i = this.link[node]; i < this.link[node] + this.count[node]; i++) if (changed[this.order[i]]) return 1;
    return 0;
  }

  private fitLeaf(node: number): void {
    const { box, order, indices, positions } = this;
    let x0 = Infinity, y0 = Infinity, z0 = Infinity, x1 = -Infinity, y1 = -Infinity, z1 = -Infinity;
    const end = this.link[node] + this.count[node];
    for (let i = this.link[node]; i < end; i++) {
      for (let corner = order[i] * 3, last = corner + 3; corner < last; corner++) {
        const v = indices[corner] * 3;
        const x = positions[v], y = positions[v + 1], z = positions[v + 2];
        if (x < x0) x0 = x;
        if (x > x1) x1 = x;
        if (y < y0) y0 = y;
        if (y > y1) y1 = y;
        if (z < z0) z0 = z;
        if (z > z1) z1 = z;
      }
    }
    const o = node * 6;
    box[o] = x0; box[o + 1] = y0; box[o + 2] = z0; box[o + 3] = x1; box[o + 4] = y1; box[o + 5] = z1;
  }

  private fitInner(node: number): void {
    const { box } = this;
    const o = node * 6, left = (node + 1) * 6, right = this.link[node] * 6;
    for (let k = 0; k < 3; k++) {
      box[o + k] = box[left + k] < box[right + k] ? box[left + k] : box[right + k];
      box[o + 3 + k] = box[left + 3 + k] > box[right + 3 + k] ? box[left + 3 + k] : box[right + 3 + k];
    }
  }

  private boxDistance(node: number, x: number, y: number, z: number): number {
    const o = node * 6, b = this.box;
    const dx = x < b[o] ? b[o] - x : x > b[o + 3] ? x - b[o + 3] : 0;
    const dy = y < b[o + 1] ? b[o + 1] - y : y > b[o + 4] ? y - b[o + 4] : 0;
    const dz = z < b[o + 2] ? b[o + 2] - z : z > b[o + 5] ? z - b[o + 5] : 0;
    return dx * dx + dy * dy + dz * dz;
  }

  /**
   * Closest point of the surface to (x, y, z). `hint` is a triangle believed near (the last answer for this
   * sample): its distance bounds the search from the start. The result is in {@link hit}.
   * @returns distance, Infinity for an empty mesh
   */
  closest(x: number, y: number, z: number, hint = -1): number {
    const { hit, stack, near, link, count, order } = this;
    hit.triangle = -1;
    hit.distanceSquared = Infinity;
    if (!this.nodes) return Infinity;
    if (hint >= 0) this.tryTriangle(hint, x, y, z);
    let top = 0;
    stack[0] = 0;
    near[0] = this.boxDistance(0, x, y, z);
    top = 1;
    while (top) {
      top--;
      if (near[top] >= hit.distanceSquared) continue;
      const node = stack[top];
      if (count[node]) {
        const end = link[node] + count[node];
        for (let i = link[node]; i < end; i++) this.tryTriangle(order[i], x, y, z);
      } else {
        const left = node + 1, right = link[node];
        const dl = this.boxDistance(left, x, y, z), dr = this.boxDistance(right, x, y, z);
        const [first, firstDistance, second, secondDistance] = dl < dr ? [left, dl, right, dr] : [right, dr, left, dl];
        if (secondDistance < hit.distanceSquared) { stack[top] = second; near[top++] = secondDistance; }
        if (firstDistance < hit.distanceSquared) { stack[top] = first; near[top++] = firstDistance; }
      }
    }
    return Math.sqrt(hit.distanceSquared);
  }

  /** Closest point on one triangle by Voronoi regions (Ericson 2005, 5.1.5). */
  private tryTriangle(triangle: number, x: number, y: number, z: number): void {
    const p = this.positions, t = triangle * 3;
    const a = this.indices[t] * 3, b = this.indices[t + 1] * 3, c = this.indices[t + 2] * 3;
    const ax = p[a], ay = p[a + 1], az = p[a + 2];
    const ux = p[b] - ax, uy = p[b + 1] - ay, uz = p[b + 2] - az;
    const vx = p[c] - ax, vy = p[c + 1] - ay, vz = p[c + 2] - az;
    const wx = x - ax, wy = y - ay, wz = z - az;
    const d1 = ux * wx + uy * wy + uz * wz, d2 = vx * wx + vy * wy + vz * wz;
    const uu = ux * ux + uy * uy + uz * uz, uv = ux * vx + uy * vy + uz * vz, vv = vx * vx + vy * vy + vz * vz;
    let s = 0, r = 0;
    const d3 = d1 - uu, d4 = d2 - uv, d5 = d1 - uv, d6 = d2 - vv;
    const vc = d1 * d4 - d3 * d2, vb = d5 * d2 - d1 * d6, va = d3 * d6 - d5 * d4;
    if (d1 <= 0 && d2 <= 0) { s = 0; r = 0; }
    else if (d3 >= 0 && d4 <= d3) { s = 1; r = 0; }
    else if (vc <= 0 && d1 >= 0 && d3 <= 0) { s = uu > 0 ? d1 / uu : 0; r = 0; }
    else if (d6 >= 0 && d5 <= d6) { s = 0; r = 1; }
    else if (vb <= 0 && d2 >= 0 && d6 <= 0) { s = 0; r = vv > 0 ? d2 / vv : 0; }
    else if (va <= 0 && d4 - d3 >= 0 && d5 - d6 >= 0) {
      const e = d4 - d3 + (d5 - d6);
      r = e > 0 ? (d4 - d3) / e : 0;
      s = 1 - r;
    } else {
      const e = va + vb + vc;
      s = e !== 0 ? vb / e : 0;
      r = e !== 0 ? vc / e : 0;
    }
    const dx = wx - ux * s - vx * r, dy = wy - uy * s - vy * r, dz = wz - uz * s - vz * r;
    const squared = dx * dx + dy * dy + dz * dz;
    if (squared < this.hit.distanceSquared) {
      this.hit.distanceSquared = squared;
      this.hit.triangle = triangle;
      this.hit.v = s;
      this.hit.w = r;
    }
  }
}

/** Quickselect (Hoare 1961): afterwards the entry at `nth` is in its sorted place, smaller ones before it. */
function selectNth(order: Uint32Array, key: Float32Array, axis: number, from: number, to: number, nth: number): void {
  let low = from, high = to;
  while (low < high) {
    const pivot = key[order[(low + high) >> 1] * 3 + axis];
    let i = low, j = high;
    while (i <= j) {
      while (key[order[i] * 3 + axis] < pivot) i++;
      while (key[order[j] * 3 + axis] > pivot) j--;
      if (i <= j) {
        const swap = order[i]; order[i] = order[j]; order[j] = swap;
        i++; j--;
      }
    }
    if (nth <= j) high = j;
    else if (nth >= i) low = i;
    else return;
  }
}
