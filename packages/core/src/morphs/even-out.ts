import { weldByPlace } from '../geometry/index.ts';

/** Every movement becomes the mean of its neighbours' and its own, `rounds` times; vertices at one place move as one. */
export function evenOut(delta: Float32Array, rest: Float32Array, indices: Uint32Array, rounds: number): void {
  if (!rounds) return;
  const { points, pointOf } = weldByPlace(rest);
  let now = new Float64Array(points * 3);
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) now[pointOf[v] * 3 + k] = delta[v * 3 + k];
  for (let round = 0; round < rounds; round++) {
    const sum = new Float64Array(points * 3),
      near = new Float64Array(points);
    for (let t = 0; t + 2 < indices.length; t += 3)
      for (let c = 0; c < 3; c++) {
        const a = pointOf[indices[t + c]],
          b = pointOf[indices[t + ((c + 1) % 3)]];
        near[a]++;
        near[b]++;
        for (let k = 0; k < 3; k++) {
          sum[a * 3 + k] += now[b * 3 + k];
          sum[b * 3 + k] += now[a * 3 + k];
        }
      }
    const next = new Float64Array(points * 3);
    for (let i = 0; i < points; i++)
      for (let k = i * 3; k < i * 3 + 3; k++) next[k] = near[i] ? (now[k] + sum[k] / near[i]) / 2 : now[k];
    now = next;
  }
  for (let v = 0; v < pointOf.length; v++) for (let k = 0; k < 3; k++) delta[v * 3 + k] = now[pointOf[v] * 3 + k];
}
