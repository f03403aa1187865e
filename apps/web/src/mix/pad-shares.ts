/** A corner of the pad. */
export type Corner = readonly [x: number, y: number];

/** How far one press of an arrow goes. */
const STEP = 0.05;

/** Shares of the corners at a point, brought onto the line or into the triangle. */
export function sharesAt(corners: readonly Corner[], [x, y]: Corner): number[] {
  const [a, b, c] = corners;
  if (!c) {
    const t = ((x - a[0]) * (b[0] - a[0]) + (y - a[1]) * (b[1] - a[1])) / ((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2);
    return [1 - clamp(t), clamp(t)];
  }
  const det = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]),
    v = ((x - a[0]) * (c[1] - a[1]) - (y - a[1]) * (c[0] - a[0])) / det,
    w = ((b[0] - a[0]) * (y - a[1]) - (b[1] - a[1]) * (x - a[0])) / det,
    raw = [1 - v - w, v, w];
  if (raw.every((share) => share >= 0)) return raw;
  // Outside: the nearest point of the nearest side.
  let best = [1, 0, 0],
    least = Infinity;
  for (const [i, j] of [
    [0, 1],
    [1, 2],
    [2, 0],
  ]) {
    const [p, q] = sharesAt([corners[i], corners[j]], [x, y]),
      d = Math.hypot(x - p * corners[i][0] - q * corners[j][0], y - p * corners[i][1] - q * corners[j][1]);
    if (d >= least) continue;
    least = d;
    best = [0, 0, 0];
    best[i] = p;
    best[j] = q;
  }
  return best;
}
const clamp = (value: number): number => Math.min(1, Math.max(0, value));

/** Shares of the others after a key; null for one that does nothing here. */
export function keyed(key: string, [first, second]: readonly number[]): number[] | null {
  if (second === undefined) {
    const by = { ArrowRight: STEP, ArrowUp: STEP, ArrowLeft: -STEP, ArrowDown: -STEP }[key];
    if (by !== undefined) return [clamp(first + by)];
    return key === 'Home' ? [0] : key === 'End' ? [1] : null;
  }
  const sum = first + second;
  switch (key) {
    case 'ArrowLeft':
      return [Math.min(1, first + STEP), Math.max(0, Math.min(second - (sum >= 1 ? STEP : 0), 1 - first - STEP))];
    case 'ArrowRight':
      return [Math.max(0, Math.min(first - (sum >= 1 ? STEP : 0), 1 - second - STEP)), Math.min(1, second + STEP)];
    case 'ArrowUp': {
      const left = Math.max(0, sum - STEP);
      return sum > 0 ? [(first / sum) * left, (second / sum) * left] : [0, 0];
    }
    case 'ArrowDown': {
      const more = Math.min(1, sum + STEP);
      return sum > 0 ? [(first / sum) * more, (second / sum) * more] : [more / 2, more / 2];
    }
    case 'Home':
      return [0, 0];
    case 'End':
      return [0.5, 0.5];
    default:
      return null;
  }
}
