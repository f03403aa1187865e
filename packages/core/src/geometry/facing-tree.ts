import { TriangleTree } from './bvh.ts';
import { faceNormal } from './normals.ts';
import { closestOn } from './on-triangle.ts';

/** A tree that is asked for the closest place facing the same way. */
export class FacingTree extends TriangleTree {
  /** Unit normals of triangles in the tree's own order; nothing where a triangle has no area. */
  private readonly facing: Float32Array;

  /** Positions stay as they are: normals are those of the triangles as given. */
  constructor(positions: Float32Array, indices: Uint32Array) {
    super(positions, indices);
    const { corners } = this,
      n = new Float64Array(3);
    this.facing = new Float32Array(corners.length);
    for (let t = 0; t < corners.length; t += 3) {
      faceNormal(n, positions, corners[t] * 3, corners[t + 1] * 3, corners[t + 2] * 3);
      const l = Math.sqrt(n[0] * n[0] + n[1] * n[1] + n[2] * n[2]);
      if (l > 0) for (let k = 0; k < 3; k++) this.facing[t + k] = n[k] / l;
    }
  }

  /** {@link closestFacing} of the i-th of some points, with its own direction. @param places @param normals xyz per point */
  closestTo(places: Float32Array, normals: Float32Array, i: number, cos: number, reach: number): boolean {
    const o = i * 3;
    return this.closestFacing(
      places[o],
      places[o + 1],
      places[o + 2],
      normals[o],
      normals[o + 1],
      normals[o + 2],
      cos,
      reach,
    );
  }

  /**
   * Closest point of triangles whose normal makes no larger angle with a direction than one of cosine `cos`, and no
   * farther than `reach`; a `cos` of −1 asks all. The result is in {@link hit}.
   * @returns whether there is one
   */
  closestFacing(
    x: number,
    y: number,
    z: number,
    nx: number,
    ny: number,
    nz: number,
    cos: number,
    reach: number,
  ): boolean {
    const { hit, link, count, order, corners, box, stack, facing, positions } = this;
    hit.triangle = -1;
    hit.distanceSquared = reach * reach;
    let top = this.nodes ? 1 : 0;
    stack[0] = 0;
    while (top) {
      const node = stack[--top],
        o = node * 6;
      // Asked again when its turn comes: what was found since may be nearer.
      const ax = x < box[o] ? box[o] - x : x > box[o + 3] ? x - box[o + 3] : 0,
        ay = y < box[o + 1] ? box[o + 1] - y : y > box[o + 4] ? y - box[o + 4] : 0,
        az = z < box[o + 2] ? box[o + 2] - z : z > box[o + 5] ? z - box[o + 5] : 0;
      if (ax * ax + ay * ay + az * az >= hit.distanceSquared) continue;
      if (count[node]) {
        for (let i = link[node], end = i + count[node]; i < end; i++) {
          const t = i * 3;
          if (facing[t] * nx + facing[t + 1] * ny + facing[t + 2] * nz < cos) continue;
          if (closestOn(positions, corners, t, x, y, z, hit)) hit.triangle = order[i];
        }
        continue;
      }
      const left = node + 1,
        right = link[node],
        l = left * 6,
        r = right * 6,
        lx = x < box[l] ? box[l] - x : x > box[l + 3] ? x - box[l + 3] : 0,
        ly = y < box[l + 1] ? box[l + 1] - y : y > box[l + 4] ? y - box[l + 4] : 0,
        lz = z < box[l + 2] ? box[l + 2] - z : z > box[l + 5] ? z - box[l + 5] : 0,
        rx = x < box[r] ? box[r] - x : x > box[r + 3] ? x - box[r + 3] : 0,
        ry = y < box[r + 1] ? box[r + 1] - y : y > box[r + 4] ? y - box[r + 4] : 0,
        rz = z < box[r + 2] ? box[r + 2] - z : z > box[r + 5] ? z - box[r + 5] : 0,
        leftFirst = lx * lx + ly * ly + lz * lz < rx * rx + ry * ry + rz * rz;
      stack[top++] = leftFirst ? right : left;
      stack[top++] = leftFirst ? left : right;
    }
    return hit.triangle >= 0;
  }
}
