import { TriangleTree } from './bvh.ts';

/** What a ray met: the triangle, barycentric weights of its corners 2 and 3, and how far along the ray. */
export interface RayHit {
  triangle: number;
  v: number;
  w: number;
  distance: number;
}

/** Over an edge by so much, so that nothing slips through between two triangles. */
const EDGE = 1e-7;

/** A tree that is asked by rays too. */
export class RayTree extends TriangleTree {
  /** What the last ray met. */
  readonly met: RayHit = { triangle: -1, v: 0, w: 0, distance: Infinity };

  /**
   * The first triangle that a ray meets on its front, the side from which its corners go round against the clock; boxes by
   * slabs (Kay & Kajiya 1986), triangles after Möller & Trumbore 1997. The answer is in {@link met}. One loop without
   * calls: numbers handed to a function a million times over are boxed each time.
   * @param reach how far it is looked, in lengths of the direction
   * @param behind looks for backs instead of fronts
   * @param starts what {@link nodesWithin} gave for a box that holds the ray: many rays of one place begin there
   */
  ray(
    x: number,
    y: number,
    z: number,
    dx: number,
    dy: number,
    dz: number,
    reach: number,
    behind = false,
    starts?: Uint32Array,
  ): boolean {
    const { met, stack, link, count, order, box, corners, positions: p } = this,
      side = behind ? -1 : 1;
    let best = reach,
      triangle = -1,
      bestV = 0,
      bestW = 0;
    // What a short ray can meet at all lies in the box around it: six comparisons, and few slabs are computed.
    const ex = x + dx * reach,
      ey = y + dy * reach,
      ez = z + dz * reach,
      lowX = x < ex ? x : ex,
      highX = x < ex ? ex : x,
      lowY = y < ey ? y : ey,
      highY = y < ey ? ey : y,
      lowZ = z < ez ? z : ez,
      highZ = z < ez ? ez : z,
      ix = 1 / dx,
      iy = 1 / dy,
      iz = 1 / dz;
    let top = this.nodes ? 1 : 0;
    stack[0] = 0;
    if (starts) {
      top = starts.length;
      for (let i = 0; i < top; i++) stack[i] = starts[i];
    }
    while (top) {
      const node = stack[--top],
        o = node * 6,
        x0 = box[o],
        y0 = box[o + 1],
        z0 = box[o + 2],
        x1 = box[o + 3],
        y1 = box[o + 4],
        z1 = box[o + 5];
      if (x0 > highX || x1 < lowX || y0 > highY || y1 < lowY || z0 > highZ || z1 < lowZ) continue;
      let near = 0,
        // Boxes are kept in single precision: a hair's breadth is theirs.
        far = best + 1e-6;
      // A direction square to an axis is inside for good or outside for good, which the box around the ray has settled.
      if (dx) {
        const s = (x0 - x) * ix,
          t = (x1 - x) * ix,
          from = s < t ? s : t,
          to = s < t ? t : s;
        if (from > near) near = from;
        if (to < far) far = to + 1e-6;
      }
      if (dy) {
        const s = (y0 - y) * iy,
          t = (y1 - y) * iy,
          from = s < t ? s : t,
          to = s < t ? t : s;
        if (from > near) near = from;
        if (to < far) far = to + 1e-6;
      }
      if (dz) {
        const s = (z0 - z) * iz,
          t = (z1 - z) * iz,
          from = s < t ? s : t,
          to = s < t ? t : s;
        if (from > near) near = from;
        if (to < far) far = to + 1e-6;
      }
      if (near > far) continue;
      if (!count[node]) {
        stack[top++] = link[node];
        stack[top++] = node + 1;
        continue;
      }
      for (let i = link[node], end = i + count[node]; i < end; i++) {
        const a = corners[i * 3] * 3,
          b = corners[i * 3 + 1] * 3,
          c = corners[i * 3 + 2] * 3;
        const ax = p[a],
          ay = p[a + 1],
          az = p[a + 2],
          ux = p[b] - ax,
          uy = p[b + 1] - ay,
          uz = p[b + 2] - az,
          vx = p[c] - ax,
          vy = p[c + 1] - ay,
          vz = p[c + 2] - az;
        const qx = dy * vz - dz * vy,
          qy = dz * vx - dx * vz,
          qz = dx * vy - dy * vx,
          det = ux * qx + uy * qy + uz * qz;
        if (!(det * side > 0)) continue;
        const sx = x - ax,
          sy = y - ay,
          sz = z - az,
          inverse = 1 / det,
          v = (sx * qx + sy * qy + sz * qz) * inverse;
        if (v < -EDGE || v > 1 + EDGE) continue;
        const rx = sy * uz - sz * uy,
          ry = sz * ux - sx * uz,
          rz = sx * uy - sy * ux,
          w = (dx * rx + dy * ry + dz * rz) * inverse;
        if (w < -EDGE || v + w > 1 + EDGE) continue;
        const distance = (vx * rx + vy * ry + vz * rz) * inverse;
        if (!(distance >= 0 && distance < best)) continue;
        best = distance;
        triangle = order[i];
        bestV = v;
        bestW = w;
      }
    }
    met.triangle = triangle;
    met.v = bestV;
    met.w = bestW;
    met.distance = best;
    return triangle >= 0;
  }
  /** Nodes below which lies all that a box (min xyz, max xyz) touches: as deep as `most` of them reach. */
  nodesWithin(around: ArrayLike<number>, most = 12): Uint32Array {
    const { box, count, link } = this,
      touches = (node: number) => {
        for (let k = 0; k < 3; k++)
          if (box[node * 6 + k] > around[k + 3] || box[node * 6 + 3 + k] < around[k]) return false;
        return true;
      },
      done: number[] = [];
    let open = this.nodes && touches(0) ? [0] : [];
    while (open.length && done.length + open.length < most) {
      const next: number[] = [];
      for (const node of open)
        if (count[node]) done.push(node);
        else for (const child of [node + 1, link[node]]) if (touches(child)) next.push(child);
      open = next;
    }
    return Uint32Array.from([...done, ...open]);
  }
}
