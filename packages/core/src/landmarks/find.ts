import { middleOf, weldByPlace } from '../geometry/index.ts';
import { findArms, handLength } from './arms.ts';
import { capHoles } from './cap-holes.ts';
import { feetLandmarks, findFeet, type Foot } from './feet.ts';
import { findFace } from './face.ts';
import { findHand } from './hands.ts';
import { FINGERS, type Landmark, type Landmarks, type Side, SIDES } from './landmark.ts';
import { findStanding, type Standing } from './standing.ts';

/** Shares of the height, or of others, as adults have them: mean and spread. */
const ADULT = {
  /** From the crown through the body to the finger tips, beyond where the arm comes free. */
  uneven: [0, 0.02],
  crotch: [0.44, 0.035],
  hand: [0.108, 0.018],
  foot: [0.165, 0.025],
  /** Volume over the cube of the height, as logarithms lie apart: a third more is one spread. */
  volume: [0.0155, 0.3],
} as const;
/** Under this nothing is believed. */
const LEAST = 0.35;

/**
 * Landmarks of one standing person from shape alone: no names, no joints. Arms may hang, stand out or lie between, hands be
 * open or closed; clothes may be worn.
 * @param positions metres, Y up, facing +Z, as many as there are vertices
 * @param indices triangles of what is solid: no hair, no lashes
 */
export function findLandmarks(positions: Float32Array, indices: Uint32Array): Landmarks {
  const used = compact(positions, indices),
    capped = capHoles(used.positions, used.indices),
    standing = findStanding(capped.positions, capped.indices);
  if (typeof standing === 'string') return { landmarks: [], confidence: 0, refused: standing };
  const feet = findFeet(standing, used.positions);
  if (!feet) return { landmarks: [], confidence: 0, refused: 'A leg ends in no foot.' };
  if (SIDES.every((side) => feet[side].forward[2] < 0))
    return {
      landmarks: [],
      confidence: 0,
      refused: 'Its toes point backwards: it has to be turned to face along +Z.',
    };
  const arms = findArms(standing),
    crotch = crotchOf(standing),
    landmarks: Landmark[] = [
      { name: 'crown', at: topOf(standing, used.positions), confidence: 0.9 },
      // Trousers hide where legs part.
      { name: 'crotch', at: crotch, confidence: 0.6 },
      ...feetLandmarks(feet),
      ...findFace(standing, used.positions, used.indices),
    ];
  for (const side of SIDES) {
    const arm = arms[side],
      hand = findHand(standing, arm, used.positions, used.indices);
    landmarks.push(
      { name: `${side} armpit`, at: arm.pit, confidence: 0.6 },
      { name: `${side} wrist`, at: arm.wrist, confidence: 0.4 + 0.5 * Math.min(1, 2 * arm.waist) },
    );
    if (hand)
      for (const finger of FINGERS)
        landmarks.push({ name: `${side} ${finger} tip`, at: hand.tips[finger], confidence: 0.9 });
  }
  const confidence = likeness(standing, feet, [handLength(arms.left), handLength(arms.right)], crotch[1]);
  return confidence < LEAST
    ? { landmarks, confidence, refused: 'Its limbs are not as long as those of one standing adult.' }
    : { landmarks, confidence };
}

/** How much its measures are those of a person: 1 / (1 + Σ max(0, z − 1)² / 8) of what lies how many spreads off. */
function likeness(
  { height, floor, uneven, volume }: Standing,
  feet: Record<Side, Foot>,
  hands: readonly number[],
  crotch: number,
): number {
  const off = (value: number, [mean, spread]: readonly [number, number]) => Math.abs(value - mean) / spread,
    long = ({ heel, toe }: Foot) => Math.sqrt((toe[0] - heel[0]) ** 2 + (toe[2] - heel[2]) ** 2) / height,
    // Of a ratio, as far above as below.
    ratio = volume / ADULT.volume[0],
    all = [
      off(uneven, ADULT.uneven),
      off((crotch - floor) / height, ADULT.crotch),
      ...hands.map((hand) => off(hand / height, ADULT.hand)),
      ...SIDES.map((side) => off(long(feet[side]), ADULT.foot)),
      (Math.max(ratio, 1 / ratio) - 1) / ADULT.volume[1],
    ];
  return 1 / (1 + all.reduce((sum, z) => sum + Math.max(0, z - 1) ** 2, 0) / 8);
}

/** The lowest solid voxel of the middle column, between the legs. */
function crotchOf({ voxels, middle, floor, height }: Standing): [number, number, number] {
  const {
      dims: [nx, ny, nz],
      solid,
      origin,
      size,
    } = voxels,
    i = Math.round((middle[0] - origin[0]) / size - 0.5);
  for (let j = 0; j < ny; j++) {
    const y = origin[1] + (j + 0.5) * size;
    if (y < floor + 0.3 * height) continue;
    let sum = 0,
      count = 0;
    for (let k = 0; k < nz; k++)
      if (solid[i + nx * (j + ny * k)]) {
        sum += middleOf(voxels, i + nx * (j + ny * k))[2];
        count++;
      }
    if (count) return [middle[0], y - 0.5 * size, sum / count];
  }
  return [middle[0], floor + ADULT.crotch[0] * height, middle[1]];
}

function topOf({ crown, voxels }: Standing, positions: Float32Array): [number, number, number] {
  let best = 0;
  for (let i = 3; i < positions.length; i += 3) if (positions[i + 1] > positions[best + 1]) best = i;
  const at: [number, number, number] = [positions[best], positions[best + 1], positions[best + 2]];
  return Math.abs(at[0] - crown[0]) < 6 * voxels.size ? at : crown;
}

/** Vertices that triangles name, those at one place once. */
function compact(positions: Float32Array, indices: Uint32Array): { positions: Float32Array; indices: Uint32Array } {
  const { pointOf } = weldByPlace(positions),
    number = new Map<number, number>(),
    out: number[] = [],
    corners = Uint32Array.from(indices, (v) => {
      const p = pointOf[v];
      let n = number.get(p);
      if (n === undefined) {
        n = number.size;
        number.set(p, n);
        out.push(positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]);
      }
      return n;
    });
  return { positions: Float32Array.from(out), indices: corners };
}
