import { far } from '../character/index.ts';
import { middleOf } from '../geometry/index.ts';
import { between, type Point } from './landmark.ts';
import type { Standing } from './standing.ts';

/** A slice of a limb: the middle of its cells, those deep inside counting most, and how many there are. */
export interface Slice {
  /** Its number, as `sliceOf` counts. */
  n: number;
  at: Point;
  count: number;
}

/** Slices of a limb in order, without those that hold nothing. */
export function slicesOf(
  { voxels, depths }: Pick<Standing, 'voxels' | 'depths'>,
  cells: Iterable<number>,
  sliceOf: (cell: number) => number,
): Slice[] {
  const sums = new Map<number, { sum: Point; weight: number; count: number }>();
  for (const cell of cells) {
    const n = sliceOf(cell),
      p = middleOf(voxels, cell),
      w = Math.max(depths[cell], 0.1 * voxels.size) ** 2;
    let slice = sums.get(n);
    if (!slice) sums.set(n, (slice = { sum: [0, 0, 0], weight: 0, count: 0 }));
    for (let k = 0; k < 3; k++) slice.sum[k] += p[k] * w;
    slice.weight += w;
    slice.count++;
  }
  return [...sums]
    .sort(([a], [b]) => a - b)
    .map(([n, { sum, weight, count }]) => ({ n, at: sum.map((x) => x / weight) as Point, count }));
}

/** The place so far along a line of points; beyond its end straight on. */
export function along(line: readonly Point[], by: number): Point {
  let left = by;
  for (let i = 1; i < line.length; i++) {
    const step = far(line[i - 1], line[i]);
    if ((left <= step || i === line.length - 1) && step > 0) return between(line[i - 1], line[i], left / step);
    left -= step;
  }
  return line[line.length - 1];
}

export const lengthOf = (line: readonly Point[]): number =>
  line.reduce((sum, at, i) => sum + (i ? far(line[i - 1], at) : 0), 0);

/** The middle of those of a line's points that lie within `reach` of a height; null where none does. */
export function around(line: readonly Slice[], y: number, reach: number): Point | null {
  const near = line.filter(({ at }) => Math.abs(at[1] - y) < reach);
  if (!near.length) return null;
  return [0, 1, 2].map((k) => near.reduce((sum, { at }) => sum + at[k], 0) / near.length) as Point;
}
