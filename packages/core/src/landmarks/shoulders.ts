import { far } from '../character/index.ts';
import { dot, sub, unit } from '../geometry/index.ts';
import type { Arm } from './arms.ts';
import type { Build } from './build.ts';
import { along, bendOn, lengthOf, sectionDepth } from './sections.ts';
import { between, type JointFound, type Point, type Side, SIDES, towards } from './landmark.ts';
import type { Standing } from './standing.ts';

/** Depth of the joint under the shoulder's top, share of the height. */
const UNDER_TOP = 0.04;
/** How far the arm's own line draws it. */
const POINTS = 0.6;
/** Of an arm that is free from the wrist by so much, shares of the height: not at all, all of it. */
const FREE = [0.15, 0.22] as const;
/** Off the straight line by so much an elbow is seen to bend, shares of the height: none of it, all of it. */
const ELBOW = { within: [0.38, 0.7], off: [0.015, 0.04], pull: 0.8 } as const;

/** Shoulders, elbows and wrists by the arms' sections, the shoulders' tops and flanks, and what is assumed of the build. */
export function findShoulders(standing: Standing, build: Build, arms: Record<Side, Arm>): Record<Side, JointFound[]> {
  const { height: h } = standing,
    middleAt = leaning(standing),
    out: Partial<Record<Side, JointFound[]>> = {};
  for (const side of SIDES) {
    const arm = arms[side],
      s = side === 'left' ? 1 : -1,
      long = lengthOf(arm.line),
      near = along(arm.line, long - 0.02 * h),
      off = along(arm.line, long - 0.1 * h),
      axis = unit(sub(off, near)),
      half = shoulderHalf(standing, build, arm, s, middleAt(arm.pit[1])),
      x = middleAt(arm.pit[1] + 0.07 * h) + s * half,
      top = topAt(standing, x),
      under = (top ?? standing.floor + build.shoulder.y + UNDER_TOP * h) - UNDER_TOP * h,
      // An arm points at its joint.
      assumed: Point = [x, under, sectionDepth(standing, under, middleAt(under))],
      onAxis = towards(near, axis, dot(sub(assumed, near), axis)),
      // One that merges with the flank tells little.
      free = Math.max(0, Math.min(1, (long / h - FREE[0]) / (FREE[1] - FREE[0]))),
      shoulder = between(assumed, onAxis, POINTS * free),
      // From the shoulder down; what lies beyond the armpit is straight.
      way = [shoulder, ...arm.line.filter((at) => far(at, arm.pit) > 0 && far(at, shoulder) > 0.05 * h).reverse()],
      elbow = bendOn(way, { ...ELBOW, share: build.elbow }, h);
    out[side] = [
      { role: `${side}UpperArm`, at: shoulder, how: 'sections and proportion', confidence: 0.6 },
      {
        role: `${side}LowerArm`,
        at: elbow.at,
        how: elbow.bent ? 'bend' : 'proportion',
        confidence: elbow.bent ? 0.8 : 0.5,
      },
      { role: `${side}Hand`, at: arm.wrist, how: 'sections', confidence: 0.4 + 0.5 * Math.min(1, 2 * arm.waist) },
    ];
  }
  return out as Record<Side, JointFound[]>;
}

/** Where the trunk's middle lies sideways, by height: it leans. */
function leaning({ voxels, depths, floor, height: h, middle }: Standing): (y: number) => number {
  const sums = [
      [0, 0],
      [0, 0],
    ],
    {
      dims: [nx, ny],
      origin,
      size,
    } = voxels;
  for (let i = 0; i < depths.length; i++) {
    if (depths[i] <= 0.03 * h) continue;
    const share = (origin[1] + ((Math.floor(i / nx) % ny) + 0.5) * size - floor) / h,
      half = share > 0.52 && share < 0.6 ? 0 : share > 0.66 && share < 0.74 ? 1 : -1;
    if (half < 0) continue;
    const w = depths[i] ** 2;
    sums[half][0] += w * (origin[0] + ((i % nx) + 0.5) * size);
    sums[half][1] += w;
  }
  const [low, high] = sums,
    lean = low[1] && high[1] ? (high[0] / high[1] - low[0] / low[1]) / (0.14 * h) : 0;
  return (y) => middle[0] + (Math.abs(lean) > 0.01 ? lean * (y - floor - 0.63 * h) : 0);
}

/** Half the shoulders' breadth: where the trunk ends under the armpit, and what is assumed, as clothes are thick. */
function shoulderHalf(standing: Standing, build: Build, arm: Arm, s: number, middleX: number): number {
  const { voxels, height: h, middle } = standing,
    {
      dims: [nx, ny],
      solid,
      origin,
      size,
    } = voxels,
    k = Math.round((middle[1] - origin[2]) / size - 0.5),
    i0 = Math.round((middle[0] - origin[0]) / size - 0.5);
  let flank = Infinity;
  for (let d = 0.02; d <= 0.08; d += 0.01) {
    const j = Math.round((arm.pit[1] - d * h - origin[1]) / size - 0.5);
    let i = i0;
    while (i > 0 && i < nx && solid[i + nx * (j + ny * k)]) i += s;
    flank = Math.min(flank, Math.abs(origin[0] + (i + 0.5) * size - middle[0]));
  }
  const pit = Math.abs(arm.pit[0] - middleX),
    seen = Math.min(pit - 0.006 * h, flank - 0.004 * h),
    assumed = build.shoulder.half;
  return 0.5 * Math.max(0.8 * assumed, Math.min(1.25 * assumed, seen)) + 0.5 * assumed;
}

/** The top of the shoulder, so far aside; null where nothing is there. */
function topAt({ voxels, floor, height: h, middle }: Standing, x: number): number | null {
  const {
      dims: [nx, ny, nz],
      solid,
      origin,
      size,
    } = voxels,
    i = Math.round((x - origin[0]) / size - 0.5);
  for (let j = ny - 1; j > 0; j--) {
    const y = origin[1] + (j + 0.5) * size;
    if (y > floor + 0.9 * h) continue;
    for (let k = 0; k < nz; k++)
      if (solid[i + nx * (j + ny * k)] && Math.abs(origin[2] + (k + 0.5) * size - middle[1]) < 0.08 * h) return y;
  }
  return null;
}
