import { faceNormal } from '../geometry/index.ts';

/** Faces that lie turned over against how they lay before: where their corners begin among `corners`. */
export function turnedFaces(corners: Uint32Array, places: Float32Array, before: Float32Array): number[] {
  const now = new Float64Array(3),
    then = new Float64Array(3),
    out: number[] = [];
  for (let t = 0; t < corners.length; t += 3) {
    const a = corners[t] * 3,
      b = corners[t + 1] * 3,
      c = corners[t + 2] * 3;
    faceNormal(now, places, a, b, c);
    faceNormal(then, before, a, b, c);
    if (now[0] * then[0] + now[1] * then[1] + now[2] * then[2] < 0) out.push(t);
  }
  return out;
}
