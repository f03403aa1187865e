import { TriangleTree } from './bvh.ts';

/** A tree that is asked whether anything lies in the way, whichever side of it. */
export class BlockingTree extends TriangleTree {
  /**
   * Whether a ray meets a triangle no farther than `reach` lengths of its direction: boxes by slabs (Kay & Kajiya 1986),
   * triangles after Möller & Trumbore 1997, until the first that is met.
   */
  blocks(x: number, y: number, z: number, dx: number, dy: number, dz: number, reach: number): boolean {
    const { stack, link, count, box, corners, positions: p } = this,
      // Square to an axis: a number so large that slabs come out inside or outside for good.
      ix = dx ? 1 / dx : 1e30,
      iy = dy ? 1 / dy : 1e30,
      iz = dz ? 1 / dz : 1e30;
    let top = this.nodes ? 1 : 0;
    stack[0] = 0;
    while (top) {
      const node = stack[--top],
        o = node * 6,
        x0 = (box[o] - x) * ix,
        x1 = (box[o + 3] - x) * ix,
        y0 = (box[o + 1] - y) * iy,
        y1 = (box[o + 4] - y) * iy,
        z0 = (box[o + 2] - z) * iz,
        z1 = (box[o + 5] - z) * iz;
      let near = 0,
        far = reach;
      const xLow = x0 < x1 ? x0 : x1,
        xHigh = x0 < x1 ? x1 : x0,
        yLow = y0 < y1 ? y0 : y1,
        yHigh = y0 < y1 ? y1 : y0,
        zLow = z0 < z1 ? z0 : z1,
        zHigh = z0 < z1 ? z1 : z0;
      if (xLow > near) near = xLow;
      if (yLow > near) near = yLow;
      if (zLow > near) near = zLow;
      if (xHigh < far) far = xHigh;
      if (yHigh < far) far = yHigh;
      if (zHigh < far) far = zHigh;
      // Boxes are kept in single precision: a hair's breadth is theirs.
      if (near > far + 1e-6) continue;
      if (!count[node]) {
        stack[top++] = link[node];
        stack[top++] = node + 1;
        continue;
      }
      for (let i = link[node] * 3, end = i + count[node] * 3; i < end; i += 3) {
        const a = corners[i] * 3,
          b = corners[i + 1] * 3,
          c = corners[i + 2] * 3,
          ax = p[a],
          ay = p[a + 1],
          az = p[a + 2],
          ux = p[b] - ax,
          uy = p[b + 1] - ay,
          uz = p[b + 2] - az,
          vx = p[c] - ax,
          vy = p[c + 1] - ay,
          vz = p[c + 2] - az,
          qx = dy * vz - dz * vy,
          qy = dz * vx - dx * vz,
          qz = dx * vy - dy * vx,
          det = ux * qx + uy * qy + uz * qz;
        if (det === 0) continue;
        const sx = x - ax,
          sy = y - ay,
          sz = z - az,
          inverse = 1 / det,
          v = (sx * qx + sy * qy + sz * qz) * inverse;
        if (v < 0 || v > 1) continue;
        const rx = sy * uz - sz * uy,
          ry = sz * ux - sx * uz,
          rz = sx * uy - sy * ux,
          w = (dx * rx + dy * ry + dz * rz) * inverse;
        if (w < 0 || v + w > 1) continue;
        const distance = (vx * rx + vy * ry + vz * rz) * inverse;
        if (distance >= 0 && distance < reach) return true;
      }
    }
    return false;
  }
}
