/** A counterpart this many times longer, shorter or leaner than its triangle tells all, and none, of how that shall turn. */
const ALIKE = 5,
  UNLIKE = 12;

/**
 * How far a triangle's counterpart can be asked, 0 … 1: where it is squeezed to a line, what little its ends move apart would
 * stretch the triangle a hundred times. By the singular values of what lays one on the other, from their metric tensors.
 */
export function trustIn(
  rest: Float32Array,
  places: Float32Array,
  scale: number,
  a: number,
  b: number,
  c: number,
): number {
  const [ee, ef, ff] = metricOf(rest, 1, a, b, c),
    [gg, gh, hh] = metricOf(places, scale, a, b, c),
    area = ee * ff - ef * ef;
  if (!(area > 0)) return 0;
  const trace = (ff * gg - 2 * ef * gh + ee * hh) / area,
    det = Math.max(0, gg * hh - gh * gh) / area,
    root = Math.sqrt(Math.max(0, (trace * trace) / 4 - det)),
    [most, least] = [Math.sqrt(trace / 2 + root), Math.sqrt(Math.max(0, trace / 2 - root))],
    unlike = Math.max(most, 1 / least, most / least);
  // A counterpart that is a line or a point has no shape at all.
  if (!(least > 0)) return 0;
  return Math.min(1, Math.max(0, (UNLIKE - unlike) / (UNLIKE - ALIKE)));
}

/** Products of a triangle's two sides with themselves and each other. */
function metricOf(p: Float32Array, scale: number, a: number, b: number, c: number): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    const e = (p[b * 3 + k] - p[a * 3 + k]) * scale,
      f = (p[c * 3 + k] - p[a * 3 + k]) * scale;
    out[0] += e * e;
    out[1] += e * f;
    out[2] += f * f;
  }
  return out;
}
