/**
 * Triangles of one polygon, convex or not, by ear clipping (Meisters 1975) in the plane of its Newell normal.
 * Corners are numbered as in the polygon; a polygon that folds over itself still gives n − 2 triangles.
 * @param at places of the corners, xyz each
 * @param out receives corner numbers, three per triangle
 */
export function clipEars(at: ArrayLike<number>, corners: number, out: number[]): void {
  if (corners < 3) return;
  if (corners === 3) {
    out.push(0, 1, 2);
    return;
  }
  const [x, y] = flatten(at, corners);
  if (corners === 4) {
    quad(x, y, out);
    return;
  }
  const left = Array.from({ length: corners }, (_, i) => i);
  let at0 = 0,
    failed = 0;
  while (left.length > 3) {
    const n = left.length,
      i = at0 % n;
    const a = left[(i + n - 1) % n],
      b = left[i],
      c = left[(i + 1) % n];
    if (
      failed > n ||
      (turn(x, y, a, b, c) > 0 && !left.some((p) => p !== a && p !== b && p !== c && inside(x, y, a, b, c, p)))
    ) {
      out.push(a, b, c);
      left.splice(i, 1);
      at0 = i === 0 ? 0 : i - 1;
      failed = 0;
    } else {
      at0 = i + 1;
      failed++;
    }
  }
  out.push(left[0], left[1], left[2]);
}

const turn = (x: Float64Array, y: Float64Array, a: number, b: number, c: number): number =>
  (x[b] - x[a]) * (y[c] - y[a]) - (y[b] - y[a]) * (x[c] - x[a]);
const inside = (x: Float64Array, y: Float64Array, a: number, b: number, c: number, p: number): boolean =>
  turn(x, y, a, b, p) >= 0 && turn(x, y, b, c, p) >= 0 && turn(x, y, c, a, p) >= 0;

/** Along the diagonal that stays inside; of two that do, the shorter. */
function quad(x: Float64Array, y: Float64Array, out: number[]): void {
  const inner = (a: number, b: number, c: number, d: number) => turn(x, y, a, b, c) > 0 && turn(x, y, a, c, d) > 0;
  const one = inner(0, 1, 2, 3),
    two = inner(1, 2, 3, 0);
  const d0 = (x[0] - x[2]) ** 2 + (y[0] - y[2]) ** 2,
    d1 = (x[1] - x[3]) ** 2 + (y[1] - y[3]) ** 2;
  if (one === two ? d0 <= d1 : one) out.push(0, 1, 2, 0, 2, 3);
  else out.push(0, 1, 3, 1, 2, 3);
}

/** The polygon laid into its own plane, counter-clockwise. */
function flatten(at: ArrayLike<number>, corners: number): [Float64Array, Float64Array] {
  let nx = 0,
    ny = 0,
    nz = 0;
  for (let i = 0; i < corners; i++) {
    const a = i * 3,
      b = ((i + 1) % corners) * 3;
    nx += (at[a + 1] - at[b + 1]) * (at[a + 2] + at[b + 2]);
    ny += (at[a + 2] - at[b + 2]) * (at[a] + at[b]);
    nz += (at[a] - at[b]) * (at[a + 1] + at[b + 1]);
  }
  const x = new Float64Array(corners),
    y = new Float64Array(corners);
  const ax = Math.abs(nx),
    ay = Math.abs(ny),
    az = Math.abs(nz);
  const [u, v, sign] = az >= ax && az >= ay ? [0, 1, nz] : ax >= ay ? [1, 2, nx] : [2, 0, ny];
  for (let i = 0; i < corners; i++) {
    x[i] = at[i * 3 + u];
    y[i] = at[i * 3 + v] * (sign < 0 ? -1 : 1);
  }
  return [x, y];
}
