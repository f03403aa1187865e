import type { Vec3 } from '../geometry/index.ts';

/** x ↦ to + scale · (x − from): what lies in one head as it lies in another. */
export interface Similar {
  scale: number;
  from: Vec3;
  to: Vec3;
}

/**
 * The ball that points lie on, by least squares of |p|² = 2 c·p + k (an algebraic fit: exact for a ball, and near it where a
 * part of it is missing or bulges). Metres.
 * @returns null where they lie in a plane, or are fewer than four
 */
export function ballThrough(points: ArrayLike<number>): { at: Vec3; radius: number } | null {
  const n = points.length / 3,
    mean = [0, 0, 0];
  if (n < 4) return null;
  for (let i = 0; i < points.length; i++) mean[i % 3] += points[i] / n;
  // About their mean, so that numbers stay of one size: three rows for the centre, one right side.
  const m = new Float64Array(9),
    right = [0, 0, 0];
  let squares = 0;
  for (let i = 0; i < points.length; i += 3) for (let k = 0; k < 3; k++) squares += (points[i + k] - mean[k]) ** 2 / n;
  for (let i = 0; i < points.length; i += 3) {
    const p = [points[i] - mean[0], points[i + 1] - mean[1], points[i + 2] - mean[2]],
      own = p[0] * p[0] + p[1] * p[1] + p[2] * p[2];
    for (let r = 0; r < 3; r++) {
      right[r] += (p[r] * (own - squares)) / 2;
      for (let c = 0; c < 3; c++) m[r * 3 + c] += p[r] * p[c];
    }
  }
  const c = solved(m, right);
  if (!c) return null;
  const radius = Math.sqrt(squares + c[0] * c[0] + c[1] * c[1] + c[2] * c[2]);
  return { at: [mean[0] + c[0], mean[1] + c[1], mean[2] + c[2]], radius };
}

/** Three equations by Cramer's rule; null where they say too little. */
function solved(m: Float64Array, [x, y, z]: readonly number[]): Vec3 | null {
  const [a, b, c, d, e, f, g, h, i] = m,
    whole = a * (e * i - f * h) - b * (d * i - f * g) + c * (d * h - e * g),
    size = Math.max(a, e, i);
  if (!(Math.abs(whole) > 1e-9 * size * size * size)) return null;
  return [
    (x * (e * i - f * h) - b * (y * i - f * z) + c * (y * h - e * z)) / whole,
    (a * (y * i - f * z) - x * (d * i - f * g) + c * (d * z - y * g)) / whole,
    (a * (e * z - y * h) - b * (d * z - y * g) + x * (d * h - e * g)) / whole,
  ];
}

/** How one set of points lies as another does: as wide, and about the same middle. Null where one has no width. */
export function asWide(from: ArrayLike<number>, to: ArrayLike<number>): Similar | null {
  const [a, b] = [boxOf(from), boxOf(to)];
  if (!(a.wide > 0 && b.wide > 0)) return null;
  return { scale: b.wide / a.wide, from: a.middle, to: b.middle };
}

/** The box that points fill. */
export function boxOf(points: ArrayLike<number>): { wide: number; middle: Vec3; half: Vec3 } {
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    low[i % 3] = Math.min(low[i % 3], points[i]);
    high[i % 3] = Math.max(high[i % 3], points[i]);
  }
  return {
    wide: high[0] - low[0],
    middle: [0, 1, 2].map((k) => (low[k] + high[k]) / 2) as Vec3,
    half: [0, 1, 2].map((k) => (high[k] - low[k]) / 2) as Vec3,
  };
}

/** One that is a little larger or further forward, about where it comes to lie. */
export const nudged = ({ scale, from, to }: Similar, larger: number, forward: number, up: number): Similar => ({
  scale: scale * larger,
  from,
  to: [to[0], to[1] + up, to[2] + forward],
});

export function placed({ scale, from, to }: Similar, x: number, y: number, z: number): Vec3 {
  return [to[0] + scale * (x - from[0]), to[1] + scale * (y - from[1]), to[2] + scale * (z - from[2])];
}
