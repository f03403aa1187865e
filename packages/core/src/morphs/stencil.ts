/** For each vertex three others and their shares: what lies at some place of a surface. −1 for none. */
export interface Stencils {
  corner: Int32Array;
  share: Float32Array;
}

/** The weighted sum of a stencil's values, xyz, into `out`; nothing where there is no stencil. */
export function combined(
  out: Float64Array,
  { corner, share }: Stencils,
  v: number,
  values: Float32Array,
): Float64Array {
  out.fill(0);
  for (let k = v * 3; k < v * 3 + 3; k++) {
    const u = corner[k];
    if (u < 0) continue;
    for (let c = 0; c < 3; c++) out[c] += share[k] * values[u * 3 + c];
  }
  return out;
}

/** Sets a stencil to a point of a triangle. @param v @param w barycentric shares of corners 2 and 3 */
export function setStencil(
  { corner, share }: Stencils,
  at: number,
  corners: readonly [number, number, number],
  v: number,
  w: number,
): void {
  corner.set(corners, at * 3);
  share.set([1 - v - w, v, w], at * 3);
}
