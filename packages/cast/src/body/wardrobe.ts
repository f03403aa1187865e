import { step } from '../head/curves.ts';
import { surfaceNet, type Net } from '../implicit/surface-nets.ts';
import type { Chart } from '../surface.ts';
import { AVERAGE_BODY, bodyDistance } from './anatomy.ts';
import {
  beanieDistance,
  bootDistance,
  handDistance,
  jacketDistance,
  mirroredNet,
  trousersDistance,
  trunk,
  vestOver,
} from './garments.ts';
import { ELBOW, fingerPoint, FINGERS, HAND, SHOULDER, WRIST } from './joints.ts';
import {
  bibDistance,
  drysuitDistance,
  headsetDistance,
  lanyardDistance,
  overallsDistance,
  sweaterDistance,
  waistcoatDistance,
} from './workwear.ts';

export const GARMENTS = [
  'body',
  'jacket',
  'trousers',
  'boots',
  'beanie',
  'vest',
  'hands',
  'sweater',
  'bib',
  'overalls',
  'drysuit',
  'waistcoat',
  'headset',
  'lanyard',
] as const;
export type GarmentName = (typeof GARMENTS)[number];
type Box = [number, number, number];

export interface Garment {
  part: string;
  material: string;
  distance: (x: number, y: number, z: number) => number;
  min: Box;
  max: Box;
  /** Edge of a cell, metres. */
  cell: number;
  /** One side is polygonised and mirrored. */
  mirrored?: boolean;
  charts: 'trunk' | 'sleeved' | 'legs' | 'suit' | 'pair' | 'hands' | 'head' | 'chest' | 'layers' | 'body';
  /** Joints it may follow; sides are kept apart besides. */
  follows: RegExp;
  smoothing: number;
  /** Whether it gets wider with its wearer. */
  swells: boolean;
}

const tip = fingerPoint('middle', 4);
const ARMS = '|arm_.|arm_._twist|elbow_.|fore_._twist\\d|wrist_.';
const LEGS = '|thigh_.|thigh_._twist|knee_.|shin_._twist|foot_.';
const TRUNK = 'hips|waist_bend|waist_twist|chest_low|chest_high|neck_low|clav_.';
const only = (names: string) => new RegExp(`^(${names})$`);

/** Everything that people of Vell Sund wear (and their hands), as distance fields with their charts and joints. */
export const WARDROBE: Readonly<Record<GarmentName, Garment>> = {
  body: {
    part: 'Body',
    material: 'Skin_Body',
    distance: bodyDistance(AVERAGE_BODY),
    min: [-0.62, -0.05, -0.2],
    max: [0.62, 1.58, 0.23],
    cell: 0.0196,
    charts: 'body',
    follows: only(`${TRUNK}|neck_high${ARMS}${LEGS}|toe_.`),
    smoothing: 6,
    swells: true,
  },
  jacket: {
    part: 'Foul_Weather_Jacket',
    material: 'Jacket_Cloth',
    distance: jacketDistance,
    min: [-0.68, 0.82, -0.22],
    max: [0.68, 1.6, 0.22],
    cell: 0.015,
    charts: 'sleeved',
    follows: only(`${TRUNK}${ARMS}|thigh_.`),
    smoothing: 6,
    swells: true,
  },
  trousers: {
    part: 'Trousers',
    material: 'Trousers_Cloth',
    distance: trousersDistance,
    min: [-0.26, 0.13, -0.2],
    max: [0.26, 1.07, 0.2],
    cell: 0.0155,
    charts: 'legs',
    follows: only(`hips|waist_bend${LEGS}`),
    smoothing: 6,
    swells: true,
  },
  boots: {
    part: 'Boots',
    material: 'Boots_Rubber',
    distance: bootDistance,
    min: [0.02, -0.02, -0.14],
    max: [0.24, 0.34, 0.22],
    cell: 0.0124,
    mirrored: true,
    charts: 'pair',
    follows: /^(knee_.|foot_.|toe_.)$/,
    smoothing: 6,
    swells: false,
  },
  beanie: {
    part: 'Beanie',
    material: 'Beanie_Knit',
    distance: beanieDistance,
    min: [-0.12, 1.62, -0.14],
    max: [0.12, 1.83, 0.15],
    cell: 0.0084,
    charts: 'head',
    follows: /^head$/,
    smoothing: 6,
    swells: false,
  },
  vest: {
    part: 'Life_Vest',
    material: 'Vest_Webbing',
    distance: vestOver(jacketDistance),
    min: [-0.25, 1.06, -0.24],
    max: [0.25, 1.55, 0.26],
    cell: 0.012,
    charts: 'layers',
    follows: /^(waist_bend|waist_twist|chest_low|chest_high|neck_low|clav_.)$/,
    smoothing: 6,
    swells: true,
  },
  hands: {
    part: 'Hands',
    material: 'Skin_Hands',
    distance: handDistance,
    min: [WRIST[0] - 0.1, tip[1] - 0.06, -0.09],
    max: [tip[0] + 0.06, WRIST[1] + 0.1, 0.16],
    cell: 0.0057,
    mirrored: true,
    charts: 'hands',
    follows: /^(fore_._twist2|wrist_.|(thumb|index|middle|ring|little)_._\d)$/,
    smoothing: 4,
    swells: false,
  },
  sweater: {
    part: 'Sweater',
    material: 'Sweater_Wool',
    distance: sweaterDistance,
    min: [-0.68, 0.84, -0.22],
    max: [0.68, 1.58, 0.22],
    cell: 0.015,
    charts: 'sleeved',
    follows: only(`${TRUNK}${ARMS}|thigh_.`),
    smoothing: 6,
    swells: true,
  },
  bib: {
    part: 'Bib_Front',
    material: 'Bib_Cloth',
    distance: bibDistance,
    min: [-0.26, 0.77, -0.24],
    max: [0.26, 1.58, 0.24],
    cell: 0.0132,
    charts: 'chest',
    follows: only(TRUNK),
    smoothing: 6,
    swells: true,
  },
  overalls: {
    part: 'Overalls',
    material: 'Overalls_Cloth',
    distance: overallsDistance,
    min: [-0.68, 0.13, -0.22],
    max: [0.68, 1.57, 0.22],
    cell: 0.0158,
    charts: 'suit',
    follows: only(`${TRUNK}${ARMS}${LEGS}`),
    smoothing: 6,
    swells: true,
  },
  drysuit: {
    part: 'Dry_Suit',
    material: 'Suit_Laminate',
    distance: drysuitDistance,
    min: [-0.68, 0.13, -0.22],
    max: [0.68, 1.6, 0.22],
    cell: 0.0146,
    charts: 'suit',
    follows: only(`${TRUNK}${ARMS}${LEGS}`),
    smoothing: 6,
    swells: true,
  },
  waistcoat: {
    part: 'Waistcoat',
    material: 'Waistcoat_Mesh',
    distance: waistcoatDistance,
    min: [-0.28, 0.9, -0.24],
    max: [0.28, 1.6, 0.25],
    cell: 0.0116,
    charts: 'chest',
    follows: only(TRUNK),
    smoothing: 6,
    swells: true,
  },
  headset: {
    part: 'Headset',
    material: 'Headset_Plastic',
    distance: headsetDistance,
    min: [-0.12, 1.57, -0.06],
    max: [0.12, 1.81, 0.15],
    cell: 0.0044,
    charts: 'head',
    follows: /^head$/,
    smoothing: 0,
    swells: false,
  },
  lanyard: {
    part: 'Lanyard',
    material: 'Lanyard_Ribbon',
    distance: lanyardDistance,
    min: [-0.13, 1.1, -0.16],
    max: [0.13, 1.56, 0.25],
    cell: 0.0044,
    charts: 'chest',
    follows: only(TRUNK),
    smoothing: 2,
    swells: true,
  },
};

/** The form of a garment on someone who wears these: a belt lies on what is below it. */
export const formOf = (name: GarmentName, wears: readonly GarmentName[]): Garment['distance'] =>
  name === 'vest' && !wears.includes('jacket') ? vestOver(WARDROBE[wears[0]].distance) : WARDROBE[name].distance;

/** @param scale 1 for the full figure; larger for fewer, larger faces @param shift moves the grid, so that another figure format has other polygons @param distance of this person's own form */
export function garmentNet(name: GarmentName, scale: number, shift = 0, distance = WARDROBE[name].distance): Net {
  const { min, max, cell, mirrored } = WARDROBE[name];
  // Thin things keep a grid that still finds them.
  const step = Math.min(cell * scale, name === 'headset' || name === 'lanyard' ? 0.009 : Infinity);
  const from = min.map((v) => v - shift * step) as Box;
  return mirrored ? mirroredNet(distance, from, max, step) : surfaceNet(distance, from, max, step);
}

const flip = (p: readonly [number, number, number], sign: number): Box => [p[0] * sign, p[1], p[2]];
const tube = (
  a: readonly [number, number, number],
  b: readonly [number, number, number],
  sign: number,
  cutAt: readonly [number, number, number],
  rect: Chart['rect'],
  back?: Chart['rect'],
): Chart => ({ from: flip(a, sign), to: flip(b, sign), cutAt: [cutAt[0] * sign, cutAt[1], cutAt[2]], rect, back });
const HALVES: Chart['rect'][] = [
  [0.01, 0.01, 0.48, 0.98],
  [0.51, 0.01, 0.48, 0.98],
];
const armReach = Math.hypot(WRIST[0] - SHOULDER[0], WRIST[1] - SHOULDER[1]);
const onSleeve = (x: number, y: number): boolean =>
  ((Math.abs(x) - SHOULDER[0]) * (ELBOW[0] - SHOULDER[0]) + (y - SHOULDER[1]) * (ELBOW[1] - SHOULDER[1])) / armReach >
    0.035 && Math.abs(x) > 0.185 + (1.425 - y) * 0.35;
const sleeves = (top: number, height: number): Chart[] =>
  [1, -1].map((sign, i) => tube(SHOULDER, WRIST, sign, [-0.6, -0.6, 0], [i ? 0.51 : 0.01, top, 0.48, height]));
const legs = (top: number, height: number): Chart[] =>
  [1, -1].map((sign, i) =>
    tube([0.092, 0.86, 0], [0.111, 0.16, -0.02], sign, [-0.2, 0, -1], [HALVES[i][0], top, 0.48, height]),
  );
/** `inside` is the height that the faces within take of the rectangle, at its lower edge. */
const upright = (
  low: number,
  high: number,
  [left, top, width, height]: Chart['rect'],
  z = -0.01,
  inside = 0,
): Chart => ({
  from: [0, low, z],
  to: [0, high, z],
  cutAt: [0, 0, -1],
  rect: [left, top, width, height - inside],
  back: inside ? [left, top + height - inside + 0.01, width, inside - 0.01] : undefined,
});

/** Shoulders lie flat: a cylinder that stands would squeeze them into a line, so theirs lies across. */
const YOKE: Chart = {
  from: [-0.215, 1.39, -0.02],
  to: [0.215, 1.39, -0.02],
  cutAt: [0, -1, 0],
  rect: [0.01, 0.28, 0.98, 0.13],
};

/** From each finger's knuckle to its tip. */
const FINGER_LINES = Object.entries(FINGERS).map(
  ([finger, points]) => [fingerPoint(finger, 1), fingerPoint(finger, points.length - 1)] as const,
);

/** The palm with the wrist above, five fingers side by side below. */
function handCharts(sign: number, left: number): Chart[] {
  const palm = tube(
    [WRIST[0] - 0.075, WRIST[1] + 0.075, WRIST[2]],
    [WRIST[0] + 0.075, WRIST[1] - 0.075, WRIST[2]],
    sign,
    [-0.7, -0.7, 0],
    [left, 0.01, 0.48, 0.5],
  );
  return [
    palm,
    ...FINGER_LINES.map(([from, to], i) => tube(from, to, sign, HAND.palm, [left + i * 0.0965, 0.53, 0.088, 0.45])),
  ];
}

/** The finger whose line a point of the left hand lies nearest to, past its knuckle; −1 for the palm. */
function fingerAt(x: number, y: number, z: number): number {
  let best = Infinity,
    found = -1;
  FINGER_LINES.forEach(([a, b], i) => {
    const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]],
      d = [x - a[0], y - a[1], z - a[2]],
      t = (u[0] * d[0] + u[1] * d[1] + u[2] * d[2]) / (u[0] ** 2 + u[1] ** 2 + u[2] ** 2),
      along = Math.max(0, Math.min(1, t));
    const off = Math.hypot(d[0] - u[0] * along, d[1] - u[1] * along, d[2] - u[2] * along);
    if (off < best) {
      best = off;
      found = t > 0.14 ? i : -1;
    }
  });
  return found;
}

/** Where the faces of a garment lie in its texture. */
export function chartsOf(garment: Garment): { charts: Chart[]; chartOf: (x: number, y: number, z: number) => number } {
  const side = (x: number) => (x > 0 ? 0 : 1),
    low = garment.min[1] + 0.01,
    high = garment.max[1] - 0.01;
  switch (garment.charts) {
    case 'sleeved':
      return {
        charts: [upright(0.84, 1.58, [0.01, 0.01, 0.98, 0.58], -0.01, 0.08), ...sleeves(0.61, 0.38)],
        chartOf: (x, y) => (onSleeve(x, y) ? 1 + side(x) : 0),
      };
    case 'legs':
      return {
        charts: [upright(0.8, 1.04, [0.01, 0.01, 0.98, 0.26]), ...legs(0.29, 0.7)],
        chartOf: (x, y) => (y > 0.86 ? 0 : 1 + side(x)),
      };
    case 'suit':
      return {
        charts: [upright(0.8, 1.58, [0.01, 0.01, 0.98, 0.4], -0.01, 0.06), ...sleeves(0.42, 0.24), ...legs(0.67, 0.32)],
        chartOf: (x, y) => (onSleeve(x, y) ? 1 + side(x) : y > 0.86 ? 0 : 3 + side(x)),
      };
    case 'body':
      return {
        charts: [
          upright(0.8, 1.42, [0.01, 0.01, 0.98, 0.26]),
          ...sleeves(0.42, 0.21),
          ...legs(0.64, 0.24),
          ...[1, -1].map((sign, i) =>
            tube([0.114, 0, 0.03], [0.112, 0.17, -0.02], sign, [0, 0, -1], [HALVES[i][0], 0.89, 0.48, 0.1]),
          ),
          YOKE,
        ],
        chartOf: (x, y) =>
          onSleeve(x, y) ? 1 + side(x) : y > 1.405 ? 7 : y > 0.86 ? 0 : y > 0.16 ? 3 + side(x) : 5 + side(x),
      };
    case 'pair':
      return {
        charts: [1, -1].map((sign, i) =>
          tube([0.112, 0, 0.01], [0.112, 0.32, -0.03], sign, [0, 0, -1], [HALVES[i][0], 0.01, 0.48, 0.88]),
        ),
        chartOf: side,
      };
    case 'hands':
      return {
        charts: [1, -1].flatMap((sign, i) => handCharts(sign, HALVES[i][0])),
        chartOf: (x, y, z) => side(x) * (FINGER_LINES.length + 1) + 1 + fingerAt(Math.abs(x), y, z),
      };
    case 'layers':
      return {
        charts: [
          upright(low, high, [0.01, 0.01, 0.98, 0.48], -0.005, 0.08),
          upright(low, high, [0.01, 0.51, 0.98, 0.48], -0.005, 0.24),
        ],
        chartOf: (x, y, z) =>
          y > 1.455 ? Number(Math.hypot(x / 1.05, z + 0.03) < 0.112) : Number(trunk(Math.abs(x), y, z) < 0.012),
      };
    case 'head':
      return { charts: [upright(low, high, [0.01, 0.01, 0.98, 0.98], -0.005, 0.3)], chartOf: () => 0 };
    default:
      return { charts: [upright(low, high, [0.01, 0.01, 0.98, 0.98], -0.005, 0.46)], chartOf: () => 0 };
  }
}

/** Which joints a point of a garment may follow. */
export const allowedFor =
  (garment: Garment) =>
  (joint: string, x: number): boolean =>
    garment.follows.test(joint) && !((/_l(_|$)/.test(joint) && x < -0.015) || (/_r(_|$)/.test(joint) && x > 0.015));

/** Stouter or slimmer by `amount` metres: outwards most at the belly, less at chest and thighs, nothing at cuffs and the ends of legs. */
export function swell(positions: ArrayLike<number>, normals: ArrayLike<number>, amount: number): Float32Array {
  const out = new Float32Array(positions.length);
  for (let i = 0; i < out.length; i += 3) {
    const x = Math.abs(positions[i]),
      y = positions[i + 1];
    const w =
      amount *
      (Math.exp(-(((y - 1.08) / 0.2) ** 2)) + 0.35 * step(0.45, 0.8, y)) *
      step(0.34, 0.22, x) *
      step(1.5, 1.42, y);
    if (Math.abs(w) < 1e-5) continue;
    out[i] = normals[i] * w;
    out[i + 1] = normals[i + 1] * w * 0.2;
    out[i + 2] = normals[i + 2] * w;
  }
  return out;
}
