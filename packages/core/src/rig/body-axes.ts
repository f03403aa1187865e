import type { Vec3 } from '../geometry/index.ts';

/** How thick the slices at both ends are, in parts of the height. */
const HEAD_SLICE = 0.07,
  FOOT_SLICE = 0.035,
  ANKLE = [0.055, 0.09] as const;

/**
 * Up and front of a standing body from its points alone, in whichever of the 24 orientations it lies: the end with
 * one lump in the middle is the head, the end with two lumps apart has the feet, and soles reach in front of ankles.
 * @returns null where no end looks like feet; `forward` null where the feet don't tell
 */
export function bodyAxes(points: Float32Array): { up: Vec3; forward: Vec3 | null } | null {
  const count = points.length / 3;
  if (count < 30) return null;
  const low = [Infinity, Infinity, Infinity],
    high = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < points.length; i++) {
    const k = i % 3;
    if (points[i] < low[k]) low[k] = points[i];
    if (points[i] > high[k]) high[k] = points[i];
  }
  let best: { score: number; up: Vec3; forward: Vec3 | null } | null = null;
  for (let axis = 0; axis < 3; axis++)
    for (const sign of [1, -1]) {
      const found = judge(points, low, high, axis, sign);
      if (found && (!best || found.score > best.score)) best = found;
    }
  return best && best.score > 0.9 ? { up: best.up, forward: best.forward } : null;
}

function judge(
  points: Float32Array,
  low: number[],
  high: number[],
  axis: number,
  sign: number,
): { score: number; up: Vec3; forward: Vec3 | null } | null {
  const height = high[axis] - low[axis];
  if (!(height > 0)) return null;
  const from = sign > 0 ? low[axis] : high[axis];
  /** Height of point i above the feet end, in parts of the whole. */
  const level = (i: number) => ((points[i * 3 + axis] - from) * sign) / height;
  const others = [0, 1, 2].filter((k) => k !== axis);
  const head = slice(points, level, 1 - HEAD_SLICE, 1.001, others),
    feet = slice(points, level, -0.001, FOOT_SLICE, others),
    ankles = slice(points, level, ANKLE[0], ANKLE[1], others);
  if (!head.count || !feet.count) return null;
  let score = 0,
    forward: Vec3 | null = null,
    apart = 0;
  others.forEach((side, s) => {
    const front = others[1 - s];
    const middle = (low[side] + high[side]) / 2;
    // Feet: nothing in the middle, points on both sides of it, evenly.
    const [left, right, between] = split(points, level, FOOT_SLICE, side, middle, height * 0.012);
    const even = Math.min(left, right) / Math.max(1, Math.max(left, right));
    const two = left && right && between < 0.04 * (left + right) ? even : 0;
    if (two <= apart) return;
    apart = two;
    const reach = feet.mean[1 - s] - (ankles.count ? ankles.mean[1 - s] : feet.mean[1 - s]);
    forward = Math.abs(reach) > height * 0.004 ? axisVector(front, Math.sign(reach)) : null;
    // Head: one lump near the middle, narrow both ways.
    const off = Math.abs(head.mean[s] - middle) / height,
      wide = Math.max(head.spread[0], head.spread[1]) / height;
    score = two + (off < 0.05 && wide < 0.2 ? 1 : 0) - wide;
  });
  // A body is longer than it is deep, whatever its arms do.
  const depth = Math.min(...others.map((k) => high[k] - low[k]));
  return { score: score - (height < depth * 1.5 ? 1 : 0), up: axisVector(axis, sign), forward };
}

const axisVector = (axis: number, sign: number): Vec3 => {
  const out: Vec3 = [0, 0, 0];
  out[axis] = sign;
  return out;
};

function slice(
  points: Float32Array,
  level: (i: number) => number,
  from: number,
  to: number,
  others: readonly number[],
): { count: number; mean: [number, number]; spread: [number, number] } {
  const sum = [0, 0],
    low = [Infinity, Infinity],
    high = [-Infinity, -Infinity];
  let count = 0;
  for (let i = 0; i < points.length / 3; i++) {
    const at = level(i);
    if (at < from || at > to) continue;
    count++;
    others.forEach((k, s) => {
      const value = points[i * 3 + k];
      sum[s] += value;
      if (value < low[s]) low[s] = value;
      if (value > high[s]) high[s] = value;
    });
  }
  return { count, mean: [sum[0] / (count || 1), sum[1] / (count || 1)], spread: [high[0] - low[0], high[1] - low[1]] };
}

function split(
  points: Float32Array,
  level: (i: number) => number,
  to: number,
  side: number,
  middle: number,
  gap: number,
): [number, number, number] {
  let left = 0,
    right = 0,
    between = 0;
  for (let i = 0; i < points.length / 3; i++) {
    if (level(i) > to) continue;
    const off = points[i * 3 + side] - middle;
    if (Math.abs(off) < gap) between++;
    else if (off > 0) left++;
    else right++;
  }
  return [left, right, between];
}
