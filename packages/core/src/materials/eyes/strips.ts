import { outward, type Gaze, type Opening, type Vector } from './opening.ts';
import { dot, unit } from '../../geometry/index.ts';

/** One line of a strip along the lids. */
interface Row {
  /** How far from the edge of the lid over the ball, towards the middle of the opening, metres: of an upper lid, and of a lower one. */
  upper: number;
  lower: number;
  /** How much of the way from the ball up to the edge of the lid, and what is left between besides, metres. */
  up: number;
  clear: number;
}

/** Water that stands between lid and ball: from the edge of the lid in a hollow curve down to the ball. */
export const WATER: readonly Row[] = [
  { upper: -1.5e-4, lower: -1.5e-4, up: 1, clear: 0 },
  { upper: 1.2e-4, lower: 2e-4, up: 0.45, clear: 1e-4 },
  { upper: 3.5e-4, lower: 7e-4, up: 0, clear: 5e-5 },
];
/** A shade under the lids: deepest at their edge, and gone further in. */
export const SHADE: readonly Row[] = [
  { upper: -1.5e-4, lower: -1.5e-4, up: 1, clear: 0 },
  { upper: 6e-4, lower: 3e-4, up: 0, clear: 1e-4 },
  { upper: 1.8e-3, lower: 8e-4, up: 0, clear: 1e-4 },
  { upper: 3.2e-3, lower: 1.4e-3, up: 0, clear: 1e-4 },
];
/** Of the way to the middle of the opening a strip goes at most: the one opposite comes to meet it. */
const MOST_WAY = 0.85;

/**
 * Corners of a strip around an opening, row after row.
 * @param margin where the edge of the lids is
 */
export function stripAt(
  { balls }: Gaze,
  { ball, axis }: Opening,
  margin: readonly Vector[],
  rows: readonly Row[],
): Vector[] {
  // With nearly closed lids the middle of what is seen is another.
  const from = margin.map((p) => unit([0, 1, 2].map((k) => p[k] - ball.middle[k]) as Vector)),
    sum = unit(from.reduce<Vector>((total, d) => total.map((x, k) => x + d[k]) as Vector, [0, 0, 0])),
    middle = dot(sum, axis) > 0.3 ? sum : axis;
  return rows.flatMap(({ upper, lower, up, clear }) =>
    margin.map((p, i) => {
      const m = from[i],
        cosine = Math.min(1, dot(m, middle)),
        // Along the ball towards the middle.
        inward = unit([0, 1, 2].map((k) => middle[k] - cosine * m[k]) as Vector),
        lid = smooth((0.6 - inward[1]) / 1.2),
        edge = Math.sqrt([0, 1, 2].reduce((square, k) => square + (p[k] - ball.middle[k]) ** 2, 0)),
        far = Math.sqrt(Math.max(0, 2 - 2 * cosine)),
        along = Math.min((lower + (upper - lower) * lid) / edge, far * MOST_WAY),
        d = unit([0, 1, 2].map((k) => m[k] + along * inward[k]) as Vector),
        ground = outward(balls, ball, d) || ball.radius,
        height = ground + clear + Math.max(0, edge - ground) * up;
      return [0, 1, 2].map((k) => ball.middle[k] + d[k] * height) as Vector;
    }),
  );
}

/** 0 … 1, without corners. */
const smooth = (x: number): number => {
  const t = Math.max(0, Math.min(1, x));
  return t * t * (3 - 2 * t);
};

/** Triangles of a closed strip of `rows` × `around` corners, that look outwards; a seam repeats the first column. */
export function stripFaces(rows: number, around: number): number[] {
  const faces: number[] = [];
  for (let r = 0; r + 1 < rows; r++)
    for (let i = 0; i < around; i++) {
      const a = r * (around + 1) + i,
        c = a + around + 1;
      faces.push(a, a + 1, c + 1, a, c + 1, c);
    }
  return faces;
}
