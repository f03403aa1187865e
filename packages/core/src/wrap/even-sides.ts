import { pairPoints } from '../geometry/index.ts';
import { middleOfFigure } from '../rig/index.ts';
import { linearByLimbs, type limbMaps } from './align.ts';
import type { Skin } from './skin.ts';

export interface Evened {
  places: Float32Array;
  /** How far points moved for it, metres: RMS and the farthest; and how many have no partner and stayed. */
  moved: number;
  farthest: number;
  alone: number;
}

/**
 * Both sides of a figure's skin get one shape, halfway between what each was: where a point lies in the frame of its limb is
 * compared with where the point that is its mirror image in the figure lies in that of its own. So a person whose
 * arms hang or whose limbs are of different length keeps both.
 * @param aligned where limbs alone carried the figure's points @param places where they came to lie
 */
export function evenSides(
  { mesh, followed, skeleton, roles }: Pick<Skin, 'mesh' | 'followed' | 'skeleton' | 'roles'>,
  maps: ReturnType<typeof limbMaps>,
  aligned: Float32Array,
  places: Float32Array,
): Evened {
  const { points, vertexOf, places: at, corners: indices, start, neighbour: list } = mesh,
    surface = { positions: at, indices, start, list },
    middle = middleOfFigure(skeleton, roles),
    partner = pairPoints(surface, surface, middle),
    linear = new Float64Array(9),
    own = new Float64Array(points * 3),
    out = Float32Array.from(places);
  for (let p = 0; p < points; p++) {
    linearByLimbs(linear, followed, vertexOf[p], maps);
    const x = places[p * 3] - aligned[p * 3],
      y = places[p * 3 + 1] - aligned[p * 3 + 1],
      z = places[p * 3 + 2] - aligned[p * 3 + 2];
    if (!solved(own, p * 3, linear, x, y, z)) partner[p] = -1;
  }
  let sum = 0,
    farthest = 0,
    alone = 0;
  for (let p = 0; p < points; p++) {
    const q = partner[p];
    if (q < 0 || partner[q] < 0) {
      alone++;
      continue;
    }
    // Halfway between where it lies in the frame of its limb and the mirror image of where its partner does.
    const x = (own[p * 3] - own[q * 3] + 2 * middle - at[q * 3] - at[p * 3]) / 2,
      y = (own[p * 3 + 1] + own[q * 3 + 1] + at[q * 3 + 1] - at[p * 3 + 1]) / 2,
      z = (own[p * 3 + 2] + own[q * 3 + 2] + at[q * 3 + 2] - at[p * 3 + 2]) / 2;
    linearByLimbs(linear, followed, vertexOf[p], maps);
    let far = 0;
    for (let k = 0; k < 3; k++) {
      out[p * 3 + k] = aligned[p * 3 + k] + linear[k * 3] * x + linear[k * 3 + 1] * y + linear[k * 3 + 2] * z;
      far += (out[p * 3 + k] - places[p * 3 + k]) ** 2;
    }
    sum += far;
    farthest = Math.max(farthest, Math.sqrt(far));
  }
  return { places: out, moved: Math.sqrt(sum / Math.max(1, points)), farthest, alone };
}

/** The vector that a linear map takes to (x, y, z), by Cramer's rule; false where the map is flat. */
function solved(out: Float64Array, at: number, m: Float64Array, x: number, y: number, z: number): boolean {
  const a = m[4] * m[8] - m[5] * m[7],
    b = m[5] * m[6] - m[3] * m[8],
    c = m[3] * m[7] - m[4] * m[6],
    det = m[0] * a + m[1] * b + m[2] * c;
  if (!(Math.abs(det) > 1e-6)) return false;
  out[at] = (x * a + y * (m[2] * m[7] - m[1] * m[8]) + z * (m[1] * m[5] - m[2] * m[4])) / det;
  out[at + 1] = (x * b + y * (m[0] * m[8] - m[2] * m[6]) + z * (m[2] * m[3] - m[0] * m[5])) / det;
  out[at + 2] = (x * c + y * (m[1] * m[6] - m[0] * m[7]) + z * (m[0] * m[4] - m[1] * m[3])) / det;
  return true;
}
