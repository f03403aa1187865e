import { middleOf, sub, unit } from '../geometry/index.ts';
import type { Build } from './build.ts';
import { around, bendOn, sectionDepth, type Slice, slicesOf } from './sections.ts';
import type { Foot } from './feet.ts';
import { type JointFound, type Point, type Side, SIDES, towards } from './landmark.ts';
import type { Standing } from './standing.ts';

/** Heights at which a shin's line is taken, above the sole, shares of the height, and what lies about them. */
const SHIN = [0.1, 0.22] as const,
  ABOUT = 0.025;
/** Where a crotch lies that no trousers hide, and how far above it the hips. */
const CROTCH = [0.45, 0.55] as const,
  OVER_CROTCH = 0.07;
/** The hip joint lies so much above the greatest prominence of the buttocks; a jacket's hem looks like one, but higher. */
const OVER_BUTTOCKS = 0.018,
  BELIEVED = [-0.04, 0.02] as const;
/** Off the straight line by so much a knee is seen to bend, shares of the height: none of it, all of it. */
const KNEE = { within: [0.38, 0.62], off: [0.012, 0.035], pull: 1 } as const;

/** Hips, knees, ankles and where the toes bend: by level sections of the legs and what is assumed of the build. */
export function findLegs(
  standing: Standing,
  build: Build,
  feet: Record<Side, Foot>,
  crotch: Point,
): Record<Side, JointFound[]> | null {
  const { voxels, height: h, middle, legs } = standing,
    out: Partial<Record<Side, JointFound[]>> = {},
    hipY = hipHeight(standing, build, crotch[1]);
  for (const side of SIDES) {
    const s = side === 'left' ? 1 : -1,
      row = (cell: number) => Math.floor(cell / voxels.dims[0]) % voxels.dims[1],
      line = slicesOf(standing, legs[side], row).filter(({ at }) => at[1] < crotch[1] - 0.01 * h),
      sole = soleOf(standing, legs[side], line),
      low = around(line, sole + SHIN[0] * h, ABOUT * h),
      high = around(line, sole + SHIN[1] * h, ABOUT * h);
    if (!low || !high) return null;
    const shin = unit(sub(low, high)),
      ankle = towards(low, shin, (sole + build.ankle - low[1]) / shin[1]);
    // How far out the thigh lies under the crotch; the hip lies above it, where breadths of pelvises differ little.
    const thigh = around(line, crotch[1] - 0.05 * h, 0.04 * h) ?? high,
      apart = (thigh[0] - middle[0]) * s,
      half = 0.6 * build.hip.half + 0.4 * Math.max(0.7 * build.hip.half, Math.min(1.4 * build.hip.half, apart)),
      hip: Point = [middle[0] + s * half, hipY, hipDepth(standing, hipY, middle[0] + s * half, thigh)],
      // Along the leg's own line, so that a bent knee lies in the leg.
      way = [
        hip,
        ...line
          .filter(({ at }) => at[1] > ankle[1] + 0.02 * h)
          .map(({ at }) => at)
          .reverse(),
        ankle,
      ],
      knee = bendOn(way, { ...KNEE, share: build.knee }, h),
      { forward, heel, toe } = feet[side],
      foot = (toe[0] - heel[0]) * forward[0] + (toe[2] - heel[2]) * forward[2],
      // Shoes are longer than feet: the ball lies where feet bend, or where the build has it.
      ball = 0.5 * (0.7 * foot - offAlong(heel, ankle, forward)) + 0.5 * build.ball.forward;
    out[side] = [
      { role: `${side}UpperLeg`, at: hip, how: 'sections and proportion', confidence: 0.6 },
      {
        role: `${side}LowerLeg`,
        at: knee.at,
        how: knee.bent ? 'bend' : 'proportion',
        confidence: knee.bent ? 0.8 : 0.5,
      },
      { role: `${side}Foot`, at: ankle, how: 'sections and proportion', confidence: 0.7 },
      {
        role: `${side}Toes`,
        at: [ankle[0] + ball * forward[0], sole + build.ball.y, ankle[2] + ball * forward[2]],
        how: 'sections and proportion',
        confidence: 0.6,
      },
    ];
  }
  return out as Record<Side, JointFound[]>;
}

/** Between the middle of the pelvis, which the buttocks draw back, and the thigh's own line. */
const hipDepth = (standing: Standing, y: number, x: number, thigh: Point): number =>
  0.4 * sectionDepth(standing, y, x) + 0.6 * thigh[2];

const offAlong = (from: Point, to: Point, way: Point): number =>
  (to[0] - from[0]) * way[0] + (to[2] - from[2]) * way[2];

/** The sole under the shin, not under a lowered toe. */
function soleOf({ voxels, height, floor }: Standing, cells: Int32Array, line: readonly Slice[]): number {
  const shin = around(line, floor + 0.12 * height, ABOUT * height);
  let least = Infinity;
  if (shin)
    for (const cell of cells) {
      const p = middleOf(voxels, cell);
      if (p[1] < least && (p[0] - shin[0]) ** 2 + (p[2] - shin[2]) ** 2 < (0.035 * height) ** 2) least = p[1];
    }
  const sole = least - 0.5 * voxels.size;
  return sole > floor + 0.05 * height || sole === Infinity ? floor : Math.max(floor, sole);
}

/** How high the hips are: what is assumed, the crotch where nothing hides it, and the buttocks. */
function hipHeight(standing: Standing, build: Build, crotchY: number): number {
  const { floor, height: h } = standing,
    cues = [floor + build.hip.y],
    crotch = (crotchY - floor) / h,
    buttocks = buttocksOf(standing);
  if (crotch > CROTCH[0] && crotch < CROTCH[1]) cues.push(crotchY + OVER_CROTCH * h);
  if (buttocks !== null) {
    const off = buttocks + OVER_BUTTOCKS * h - cues[0];
    cues.push(cues[0] + Math.max(BELIEVED[0] * h, Math.min(BELIEVED[1] * h, off)));
  }
  return cues.reduce((sum, y) => sum + y, 0) / cues.length;
}

/** Where the back of the pelvis stands out farthest from the straight line between loins and thighs; null where it doesn't. */
function buttocksOf({ voxels, floor, height: h, middle }: Standing): number | null {
  const {
      dims: [nx, ny, nz],
      solid,
      origin,
      size,
    } = voxels,
    back: [y: number, z: number][] = [];
  for (let j = 0; j < ny; j++) {
    const y = origin[1] + (j + 0.5) * size;
    if (y < floor + 0.38 * h || y > floor + 0.66 * h) continue;
    let sum = 0,
      count = 0;
    for (let i = 0; i < nx; i++) {
      const off = Math.abs(origin[0] + (i + 0.5) * size - middle[0]);
      if (off < 0.025 * h || off > 0.075 * h) continue;
      for (let k = 0; k < nz; k++)
        if (solid[i + nx * (j + ny * k)]) {
          sum += k * size;
          count++;
          break;
        }
    }
    if (count) back.push([y, sum / count]);
  }
  if (back.length < 20) return null;
  const smooth = back.map(([y], i): [number, number] => [
      y,
      [-2, -1, 0, 1, 2].reduce((sum, d) => sum + back[Math.max(0, Math.min(back.length - 1, i + d))][1], 0) / 5,
    ]),
    [y0, z0] = smooth[0],
    [y1, z1] = smooth[smooth.length - 1];
  let most = 0.006 * h,
    best: number | null = null;
  for (const [y, z] of smooth) {
    const out = z0 + ((z1 - z0) * (y - y0)) / (y1 - y0) - z;
    if (out > most && y > floor + 0.43 * h && y < floor + 0.6 * h) {
      most = out;
      best = y;
    }
  }
  return best;
}
