import type { HumanoidRole } from '../character/index.ts';
import { middleOf } from '../geometry/index.ts';
import { NEUTRAL_PLACES } from '../targets/index.ts';
import { type Arm, findArm, FIST, handLength } from './arms.ts';
import { buildOf, EYES, type Places } from './build.ts';
import { capHoles } from './cap-holes.ts';
import { feetLandmarks, findFeet, type Foot } from './feet.ts';
import { faceDetails } from './face-details.ts';
import { type Face, faceLandmarks, findFace } from './face.ts';
import { findFingers, rootOf } from './fingers.ts';
import { findHand, type Hand } from './hands.ts';
import { FINGERS, type JointFound, type Landmark, type Landmarks, type Point, type Side, SIDES } from './landmark.ts';
import { findLegs } from './legs.ts';
import { likeness, USUAL_CROTCH } from './likeness.ts';
import { namedVertices } from './named-vertices.ts';
import { findShoulders } from './shoulders.ts';
import { findStanding, type Standing } from './standing.ts';
import { findTrunk } from './trunk.ts';

/** Under this nothing is believed. */
const LEAST = 0.35;

/** All that is found of a body. */
interface Found {
  standing: Standing;
  feet: Record<Side, Foot>;
  arms: Record<Side, Arm>;
  hands: Record<Side, Hand | null>;
  face: Face | null;
  crotch: Point;
  /** Of the surface, vertices that lie at one place once. */
  positions: Float32Array;
  indices: Uint32Array;
}

/** Looks at a body, or says why it is none. */
function lookAt(positions: Float32Array, indices: Uint32Array): Found | string {
  const used = namedVertices(positions, indices),
    capped = capHoles(used.positions, used.indices),
    standing = findStanding(capped.positions, capped.indices);
  if (typeof standing === 'string') return standing;
  const feet = findFeet(standing, used.positions);
  if (!feet) return 'A leg ends in no foot.';
  if (SIDES.every((side) => feet[side].forward[2] < 0))
    return 'Its toes point backwards: it has to be turned to face along +Z.';
  const armOf = (side: Side): { arm: Arm; hand: Hand | null } => {
    const open = findArm(standing, side),
      hand = findHand(standing, open, used.positions, used.indices);
    // Where no finger comes free it is a fist.
    return { arm: hand ? open : findArm(standing, side, FIST), hand };
  };
  const left = armOf('left'),
    right = armOf('right');
  return {
    standing,
    feet,
    arms: { left: left.arm, right: right.arm },
    hands: { left: left.hand, right: right.hand },
    face: findFace(standing, used.positions, used.indices),
    crotch: crotchOf(standing),
    ...used,
  };
}

/**
 * Landmarks and joints of one standing person from shape alone: no names, no skeleton. Arms may hang, stand out or lie
 * between, hands be open or closed; clothes may be worn.
 * @param positions metres, Y up, facing +Z, as many as there are vertices
 * @param indices triangles of what is solid: no hair, no lashes
 * @param like joint places of who it is assumed to be like where its surface doesn't say
 */
export function findLandmarks(positions: Float32Array, indices: Uint32Array, like: Places = NEUTRAL_PLACES): Landmarks {
  const found = lookAt(positions, indices),
    nothing = { landmarks: [], joints: [], confidence: 0 };
  if (typeof found === 'string') return { ...nothing, refused: found };
  const { standing, feet, arms, hands, face, crotch } = found,
    joints = jointsOf(found, like);
  if (!joints) return { ...nothing, refused: 'A leg has no shin.' };
  const at = (role: HumanoidRole) => joints.find((joint) => joint.role === role) as JointFound,
    landmarks: Landmark[] = [
      { name: 'crown', at: topOf(standing, found.positions), confidence: 0.9 },
      // Trousers hide where legs part.
      { name: 'crotch', at: crotch, confidence: 0.6 },
      ...feetLandmarks(feet),
      ...faceLandmarks(face),
      ...(face ? faceDetails(face, found.positions, found.indices, standing.height) : []),
      { name: 'neck base', at: at('neck').at, confidence: at('neck').confidence },
    ];
  for (const side of SIDES) {
    const { pit } = arms[side],
      hand = hands[side];
    landmarks.push({ name: `${side} armpit`, at: pit, confidence: 0.6 });
    for (const [name, bone] of BENDS) {
      const { at: place, confidence } = at(`${side}${bone}`);
      landmarks.push({ name: `${side} ${name}`, at: place, confidence });
    }
    if (hand)
      for (const finger of FINGERS) {
        landmarks.push({ name: `${side} ${finger} tip`, at: hand.tips[finger], confidence: 0.9 });
        landmarks.push({ name: `${side} ${finger} root`, at: rootOf(joints, side, finger) as Point, confidence: 0.7 });
      }
  }
  const confidence = likeness(standing, feet, [handLength(arms.left), handLength(arms.right)], crotch[1]);
  return confidence < LEAST
    ? { landmarks, joints, confidence, refused: 'Its limbs are not as long as those of one standing adult.' }
    : { landmarks, joints, confidence };
}
/** Where limbs bend, by the bone that begins there. */
const BENDS = [
  ['shoulder', 'UpperArm'],
  ['elbow', 'LowerArm'],
  ['wrist', 'Hand'],
  ['hip', 'UpperLeg'],
  ['knee', 'LowerLeg'],
  ['ankle', 'Foot'],
] as const;

function jointsOf({ standing, feet, arms, hands, face, crotch }: Found, like: Places): JointFound[] | null {
  const { floor, height } = standing,
    eyes = face ? (face.left[1] + face.right[1]) / 2 - floor : EYES * height,
    build = buildOf(like, eyes),
    legs = findLegs(standing, build, feet, crotch);
  if (!legs) return null;
  const upper = findShoulders(standing, build, arms),
    ends = <T extends readonly JointFound[]>(of: Record<Side, T>) => [of.left[0].at, of.right[0].at] as const;
  return [
    ...findTrunk(standing, build, ends(legs), ends(upper), face),
    ...SIDES.flatMap((side) => [...legs[side], ...upper[side], ...findFingers(side, arms[side], hands[side], height)]),
  ];
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
  return [middle[0], floor + USUAL_CROTCH * height, middle[1]];
}

function topOf({ crown, voxels }: Standing, positions: Float32Array): [number, number, number] {
  let best = 0;
  for (let i = 3; i < positions.length; i += 3) if (positions[i + 1] > positions[best + 1]) best = i;
  const at: [number, number, number] = [positions[best], positions[best + 1], positions[best + 2]];
  return Math.abs(at[0] - crown[0]) < 6 * voxels.size ? at : crown;
}
