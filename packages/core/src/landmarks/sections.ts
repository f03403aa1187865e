import { far } from '../character/index.ts';
import { middleOf, sub, unit } from '../geometry/index.ts';
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

/** How a limb's bend is looked for. */
export interface Bend {
  /** Where it is assumed, share of the length, and between which shares it may be seen. */
  share: number;
  within: readonly [number, number];
  /** Off the straight line by so much, shares of the height: none of what is seen counts, all of it. */
  off: readonly [number, number];
  /** How much that is, of the way from what is assumed. */
  pull: number;
}

/** Where a limb bends: by the share of its length, drawn to the place farthest off the straight line where that is off. */
export function bendOn(
  way: readonly Point[],
  { share, within, off, pull }: Bend,
  height: number,
): { at: Point; bent: boolean } {
  const long = lengthOf(way);
  let most = 0,
    bends = share;
  for (let t = within[0]; t <= within[1]; t += 0.01) {
    const square = squareOff(along(way, t * long), way[0], way[way.length - 1]);
    if (square > most) {
      most = square;
      bends = t;
    }
  }
  const seen = Math.max(0, Math.min(pull, (Math.sqrt(most) / height - off[0]) / (off[1] - off[0])));
  return { at: along(way, (share + seen * (bends - share)) * long), bent: seen > pull / 2 };
}

/** Squared distance of a point from the line through two others. */
function squareOff(p: Point, a: Point, b: Point): number {
  const d = unit(sub(b, a)),
    o = sub(p, a),
    t = o[0] * d[0] + o[1] * d[1] + o[2] * d[2];
  return Math.max(0, o[0] ** 2 + o[1] ** 2 + o[2] ** 2 - t * t);
}

/** The middle of the body in depth, at a height and so far aside. */
export function sectionDepth({ voxels, depths, middle }: Standing, y: number, x: number): number {
  const {
      dims: [nx, ny, nz],
      origin,
      size,
    } = voxels,
    j = Math.max(0, Math.min(ny - 1, Math.floor((y - origin[1]) / size))),
    i0 = Math.floor((x - origin[0]) / size);
  let sum = 0,
    weight = 0;
  for (let i = Math.max(0, i0 - 2); i <= Math.min(nx - 1, i0 + 2); i++)
    for (let k = 0; k < nz; k++) {
      const w = depths[i + nx * (j + ny * k)] ** 2;
      sum += w * (origin[2] + (k + 0.5) * size);
      weight += w;
    }
  return weight ? sum / weight : middle[1];
}
