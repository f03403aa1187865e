import { bendVertex, type Influences } from '../character/index.ts';

/** Vertices of one skinned part that are measured, and the poses they are measured in. */
export interface Bending {
  /** Rest positions before skinning, xyz per vertex of the part, metres. */
  positions: Float32Array;
  /** Which of them are looked at. */
  vertices: Uint32Array;
  /** One array per pose: P_j B_j, 16 per joint of the skin, column major. */
  poses: readonly Float64Array[];
}

export interface BendingCost {
  /** Largest shift, millimetres, and the pose it happens in (−1 where nothing moves). */
  worstMm: number;
  worstPose: number;
  /** Sum of squared shifts over vertices and poses, mm². */
  squares: number;
  /** Largest shift of each vertex looked at, millimetres. */
  perVertex: Float32Array;
}

/** How far the vertices of `bending` move when `before` is replaced by `after`. */
export function bendingCost(bending: Bending, before: Influences, after: Influences): BendingCost {
  const { positions, vertices, poses } = bending;
  const cost: BendingCost = { worstMm: 0, worstPose: -1, squares: 0, perVertex: new Float32Array(vertices.length) };
  const a = new Float64Array(3),
    b = new Float64Array(3);
  poses.forEach((matrices, pose) => {
    for (let i = 0; i < vertices.length; i++) {
      bendVertex(a, matrices, before, vertices[i], positions);
      bendVertex(b, matrices, after, vertices[i], positions);
      const x = a[0] - b[0],
        y = a[1] - b[1],
        z = a[2] - b[2];
      const square = (x * x + y * y + z * z) * 1e6;
      cost.squares += square;
      const mm = Math.sqrt(square);
      if (mm > cost.perVertex[i]) cost.perVertex[i] = mm;
      if (mm > cost.worstMm) {
        cost.worstMm = mm;
        cost.worstPose = pose;
      }
    }
  });
  return cost;
}
