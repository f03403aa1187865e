/** Small shaping functions shared by everything that sculpts a head. All lengths are millimetres. */
export type Point = [number, number, number];

/** Length of a vector; Math.hypot is ten times slower. */
export const len = (x: number, y: number, z = 0): number => Math.sqrt(x * x + y * y + z * z);
export const bell = (d: number, r: number): number => Math.exp(-(d * d) / (r * r));
export const lerp = (a: number, b: number, t: number): number => a + (b - a) * t;
export function step(a: number, b: number, x: number): number {
  const t = Math.max(0, Math.min(1, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
}
export function softMin(a: number, b: number, k: number): number {
  const h = Math.max(k - Math.abs(a - b), 0) / k;
  return Math.min(a, b) - h * h * k * 0.25;
}
export const softMax = (a: number, b: number, k: number): number => -softMin(-a, -b, k);

/** Distance to a polyline in its first `dim` coordinates, place along it (0 … 1), and side of its direction. */
export function toPolyline(
  p: readonly number[],
  line: readonly (readonly number[])[],
  dim: 2 | 3,
): [number, number, number] {
  let best = 1e9,
    along = 0,
    side = 0;
  for (let i = 0; i < line.length - 1; i++) {
    const a = line[i],
      b = line[i + 1];
    let ab = 0,
      ap = 0;
    for (let k = 0; k < dim; k++) {
      const e = b[k] - a[k];
      ab += e * e;
      ap += (p[k] - a[k]) * e;
    }
    const t = Math.max(0, Math.min(1, ap / (ab || 1)));
    let d = 0;
    for (let k = 0; k < dim; k++) {
      const e = p[k] - a[k] - (b[k] - a[k]) * t;
      d += e * e;
    }
    if (d < best) {
      best = d;
      along = (i + t) / (line.length - 1);
      side = (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0]);
    }
  }
  return [Math.sqrt(best), along, side];
}
