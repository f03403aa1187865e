/** Calls `each` with every texel whose middle lies in a triangle, and its weights there; maps repeat beyond their edges. */
export function eachTexel(
  uv: Float32Array,
  a: number,
  b: number,
  c: number,
  size: number,
  each: (at: number, la: number, lb: number, lc: number) => void,
): void {
  const ax = uv[a * 2] * size,
    ay = uv[a * 2 + 1] * size,
    bx = uv[b * 2] * size,
    by = uv[b * 2 + 1] * size,
    cx = uv[c * 2] * size,
    cy = uv[c * 2 + 1] * size,
    area = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
  const x0 = Math.ceil(Math.min(ax, bx, cx) - 0.5),
    x1 = Math.floor(Math.max(ax, bx, cx) - 0.5),
    y0 = Math.ceil(Math.min(ay, by, cy) - 0.5),
    y1 = Math.floor(Math.max(ay, by, cy) - 0.5);
  // A triangle over many repeats of the map tiles it: nothing of the surface can be laid down there.
  if (!(x1 - x0 < 2 * size && y1 - y0 < 2 * size)) return;
  // Whether a texel lies in it is asked of those alone that lie between its sides, or next to that.
  const inv = 1 / area,
    bx1 = (cy - ay) * inv,
    cx1 = -(by - ay) * inv,
    isInside = x0 >= 0 && y0 >= 0 && x1 < size && y1 < size;
  for (let y = y0; y <= y1; y++) {
    const py = y + 0.5,
      b0 = ((x0 + 0.5 - ax) * (cy - ay) - (py - ay) * (cx - ax)) * inv,
      c0 = ((bx - ax) * (py - ay) - (by - ay) * (x0 + 0.5 - ax)) * inv;
    let first = 0,
      last = x1 - x0;
    // Each share is ≥ 0 on one side of where it is 0; one that is no number bounds nothing.
    for (let k = 0; k < 3; k++) {
      const at = k === 0 ? b0 : k === 1 ? c0 : 1 - b0 - c0,
        slope = k === 0 ? bx1 : k === 1 ? cx1 : -bx1 - cx1,
        zero = -at / slope;
      if (slope > 0 && zero - 1 > first) first = Math.floor(zero - 1);
      else if (slope < 0 && zero + 1 < last) last = Math.ceil(zero + 1);
    }
    for (let x = x0 + Math.max(0, first), end = x0 + last; x <= end; x++) {
      const px = x + 0.5,
        lb = ((px - ax) * (cy - ay) - (py - ay) * (cx - ax)) / area,
        lc = ((bx - ax) * (py - ay) - (by - ay) * (px - ax)) / area,
        la = 1 - lb - lc;
      if (la < 0 || lb < 0 || lc < 0) continue;
      if (isInside) {
        each(y * size + x, la, lb, lc);
        continue;
      }
      const column = ((x % size) + size) % size,
        row = ((y % size) + size) % size;
      each(row * size + column, la, lb, lc);
    }
  }
}

/** Place (0…2), normal (3…5), tangent (6…8) and reach (9) of a point on a triangle; normal and tangent unit and square. */
export function placeOn(
  out: Float64Array,
  p: Float32Array,
  n: Float32Array,
  t: Float32Array,
  reach: Float32Array,
  a: number,
  b: number,
  c: number,
  la: number,
  lb: number,
  lc: number,
): void {
  for (let k = 0; k < 3; k++) {
    out[k] = p[a * 3 + k] * la + p[b * 3 + k] * lb + p[c * 3 + k] * lc;
    out[3 + k] = n[a * 3 + k] * la + n[b * 3 + k] * lb + n[c * 3 + k] * lc;
    out[6 + k] = t[a * 3 + k] * la + t[b * 3 + k] * lb + t[c * 3 + k] * lc;
  }
  const l = Math.sqrt(out[3] * out[3] + out[4] * out[4] + out[5] * out[5]) || 1;
  for (let k = 3; k < 6; k++) out[k] /= l;
  const d = out[3] * out[6] + out[4] * out[7] + out[5] * out[8];
  for (let k = 0; k < 3; k++) out[6 + k] -= d * out[3 + k];
  const s = Math.sqrt(out[6] * out[6] + out[7] * out[7] + out[8] * out[8]) || 1;
  for (let k = 6; k < 9; k++) out[k] /= s;
  // A corner that knows nothing doesn't take away what the others know.
  out[9] = Math.max(reach[a] * la + reach[b] * lb + reach[c] * lc, 1e-6);
}
