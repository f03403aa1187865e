import {
  type Branch,
  branchesOf,
  closeGaps,
  depthsOf,
  distancesFrom,
  middleOf,
  UNREACHED,
  type Voxels,
  voxelise,
} from '../geometry/index.ts';
import type { Point, Side } from './landmark.ts';

/** Voxels from sole to crown. */
const CELLS = 180;
/** Heights beyond which no unit makes a person, metres. */
const LEAST_HEIGHT = 1e-3,
  MOST_HEIGHT = 1e5;
/** Gaps that are closed, one after the other, until the trunk has depth: a shell with a hole in it leaks. Voxels. */
const CLOSED = [0, 2, 4, 8];
/** Shares of the height: where the trunk is looked for, how deep it is, and how much of it there is at least. */
const TRUNK = [0.55, 0.75],
  DEEP = 0.03,
  LEAST_TRUNK = 0.0003;
/** What leads no farther beyond where it parts, share of the height, is no limb. */
const LEAST_BRANCH = 0.03,
  LEAST_LEG = 0.15,
  LEAST_HAND = 0.09,
  /** A limb that nobody has a second pair of. */
  LIMB = 0.13;
/** Feet end below, hands above this share of the height. */
const LOW = 0.13,
  HANDS_ABOVE = 0.25;
/** Less than this share hangs together with the head where something stands apart. */
const ONE_LUMP = 0.97;

/** A body as branches of a solid: two legs and two arms. */
export interface Standing {
  voxels: Voxels;
  depths: Float32Array;
  /** From the crown, tenths of a voxel. */
  distances: Int32Array;
  /** Height, and of the soles, metres. */
  height: number;
  floor: number;
  /** Middle of the trunk, sideways and in depth. */
  middle: [x: number, z: number];
  crown: Point;
  arms: Record<Side, Branch>;
  /** Cells of each leg. */
  legs: Record<Side, Int32Array>;
  /** Share of the height by which one arm leads farther than the other. */
  uneven: number;
  volume: number;
}

/**
 * Finds the limbs of one standing person by how a solid branches: distances through it from the crown have their maxima in
 * toes and finger tips, and limbs are what lies beyond where those part.
 * @param positions of what `indices` name alone, metres, Y up, facing +Z
 * @returns the limbs, or a sentence that says why it isn't one standing person
 */
export function findStanding(positions: Float32Array, indices: Uint32Array): Standing | string {
  const low: Point = [Infinity, Infinity, Infinity],
    high: Point = [-Infinity, -Infinity, -Infinity];
  for (let i = 0; i < positions.length; i++) {
    const k = i % 3;
    if (positions[i] < low[k]) low[k] = positions[i];
    if (positions[i] > high[k]) high[k] = positions[i];
  }
  const height = high[1] - low[1],
    floor = low[1],
    longest = Math.max(high[0] - low[0], height, high[2] - low[2]);
  if (!(height > 0) || indices.length < 3) return 'There is no surface to look at.';
  if (height < LEAST_HEIGHT || height > MOST_HEIGHT)
    return `It is ${height.toPrecision(2)} m high: its unit has to be put right first.`;
  if (longest > 1.6 * height) return 'It is far wider or deeper than it is high: no one person stands there.';
  const share = (y: number) => (y - floor) / height,
    touched = voxelise(positions, indices, (CELLS * longest) / height, CLOSED[CLOSED.length - 1] + 2);
  let voxels = touched,
    depths: Float32Array = new Float32Array(0),
    trunk: number[] = [];
  for (const by of CLOSED) {
    voxels = by ? closeGaps(touched, by) : touched;
    depths = depthsOf(voxels);
    trunk = [];
    for (let i = 0; i < depths.length; i++) {
      const y = depths[i] > DEEP * height ? share(middleOf(voxels, i)[1]) : -1;
      if (y > TRUNK[0] && y < TRUNK[1]) trunk.push(i);
    }
    if (trunk.length * voxels.size ** 3 > LEAST_TRUNK * height ** 3) break;
  }
  if (trunk.length * voxels.size ** 3 <= LEAST_TRUNK * height ** 3)
    return 'No solid trunk was found between a half and three quarters of its height; large holes in the surface have to be closed first.';
  const middle: [number, number] = [0, 0];
  let weight = 0;
  for (const i of trunk) {
    const at = middleOf(voxels, i),
      w = depths[i] * depths[i];
    middle[0] += at[0] * w;
    middle[1] += at[2] * w;
    weight += w;
  }
  middle[0] /= weight;
  middle[1] /= weight;
  const crown = crownOf(voxels, middle),
    distances = distancesFrom(voxels, crown);
  let all = 0,
    reached = 0;
  for (let i = 0; i < distances.length; i++)
    if (voxels.solid[i]) {
      all++;
      if (distances[i] < UNREACHED) reached++;
    }
  if (reached < ONE_LUMP * all)
    return `${Math.round(100 - (100 * reached) / all)} % of it doesn't hang together with the head: what stands apart has to be left out.`;
  const step = voxels.size / 10,
    branches = branchesOf(voxels, distances, Math.round((LEAST_BRANCH * height) / step)),
    free = ({ far, parts }: Branch) => ((far - parts) * step) / height,
    tipAt = ({ tip }: Branch) => middleOf(voxels, tip),
    isLow = (branch: Branch) => share(tipAt(branch)[1]) < LOW;
  const [farthest, ...others] = branches,
    feet = others.filter((one) => isLow(one) && free(one) > LEAST_LEG),
    hands = others.filter((one) => !isLow(one) && free(one) > LEAST_HAND && share(tipAt(one)[1]) > HANDS_ABOVE),
    limbs = others.filter((one) => free(one) > LIMB).length;
  if (!isLow(farthest) || !feet.length) return 'Two legs that stand apart were not found.';
  if (feet.length > 1 || limbs > 3) return `It has ${limbs + 1} limbs or more; one person has two legs and two arms.`;
  const sideOf = (branch: Branch): Side => (tipAt(branch)[0] > middle[0] ? 'left' : 'right'),
    arms: Partial<Record<Side, Branch>> = {};
  for (const hand of hands) arms[sideOf(hand)] ??= hand;
  if (!arms.left || !arms.right)
    return `${!arms.left && !arms.right ? 'No arm' : `Its ${arms.left ? 'right' : 'left'} arm was not found: none`} stands off the body. Arms that lie against it, and hands in pockets, have to be moved away first.`;
  const [foot] = feet,
    mean = (cells: Int32Array) => cells.reduce((sum, at) => sum + middleOf(voxels, at)[0], 0) / cells.length,
    onLeft = mean(foot.cells) > mean(foot.other);
  return {
    voxels,
    depths,
    distances,
    height,
    floor,
    middle,
    crown: middleOf(voxels, crown),
    arms: { left: arms.left, right: arms.right },
    legs: onLeft ? { left: foot.cells, right: foot.other } : { left: foot.other, right: foot.cells },
    uneven: Math.abs(free(arms.left) - free(arms.right)),
    volume: (all * voxels.size ** 3) / height ** 3,
  };
}

/** The highest solid voxel, of several the nearest to the middle. */
function crownOf(voxels: Voxels, [x, z]: readonly [number, number]): number {
  const {
    dims: [nx, ny, nz],
    solid,
  } = voxels;
  let best = -1,
    least = Infinity;
  for (let j = ny - 1; j >= 0 && best < 0; j--)
    for (let k = 0; k < nz; k++)
      for (let i = 0; i < nx; i++) {
        const at = i + nx * (j + ny * k);
        if (!solid[at]) continue;
        const p = middleOf(voxels, at),
          off = (p[0] - x) ** 2 + (p[2] - z) ** 2;
        if (off < least) {
          least = off;
          best = at;
        }
      }
  return best;
}
