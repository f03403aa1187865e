import type { Influences } from './arrays.ts';

/** Linear blend skinning of one vertex, xyz into `out`; weights are divided by their sum, a vertex without any stays. */
export function bendVertex(
  out: Float64Array,
  matrices: Float64Array,
  influences: Influences,
  vertex: number,
  positions: Float32Array,
): void {
  const x = positions[vertex * 3],
    y = positions[vertex * 3 + 1],
    z = positions[vertex * 3 + 2];
  let total = 0,
    ox = 0,
    oy = 0,
    oz = 0;
  for (let k = vertex * influences.perVertex; k < (vertex + 1) * influences.perVertex; k++) {
    const w = influences.weights[k];
    if (w === 0) continue;
    const m = influences.joints[k] * 16;
    total += w;
    ox += w * (matrices[m] * x + matrices[m + 4] * y + matrices[m + 8] * z + matrices[m + 12]);
    oy += w * (matrices[m + 1] * x + matrices[m + 5] * y + matrices[m + 9] * z + matrices[m + 13]);
    oz += w * (matrices[m + 2] * x + matrices[m + 6] * y + matrices[m + 10] * z + matrices[m + 14]);
  }
  out[0] = total > 0 ? ox / total : x;
  out[1] = total > 0 ? oy / total : y;
  out[2] = total > 0 ? oz / total : z;
}

/** {@link bendVertex} for every vertex of `view`, in place. */
export function bendAll(view: Float32Array, matrices: Float64Array, influences: Influences): void {
  const point = new Float64Array(3);
  for (let v = 0, at = 0; at < view.length; v++, at += 3) {
    bendVertex(point, matrices, influences, v, view);
    view[at] = point[0];
    view[at + 1] = point[1];
    view[at + 2] = point[2];
  }
}
