import { blend, cut, ellipsoid, len, roundCone } from '../implicit/distance.ts';
import { sleeveFolds, trunkFolds } from './folds.ts';
import { alongArm, armLength, offArm, ramp, trousersDistance, trunk } from './garments.ts';
import { ELBOW, HEAD_AT, SHOULDER, WRIST } from './joints.ts';

/** Trunk and sleeves lying closer than the jacket; `folds` against a jacket's. */
function upperBody(px: number, y: number, z: number, options: { tight: number; folds: number; cuff: number }): number {
  const x = Math.abs(px),
    s = alongArm(x, y, z),
    { tight, folds, cuff } = options;
  let sleeve = roundCone(x, y, z, SHOULDER, ELBOW, 0.072 - tight * 0.6, 0.055 - tight * 0.5);
  sleeve = blend(sleeve, roundCone(x, y, z, ELBOW, WRIST, 0.055 - tight * 0.5, 0.042 - tight * 0.4), 0.02);
  if (Math.abs(sleeve) < 0.03) sleeve -= folds * sleeveFolds(px, y, z, s, ...offArm(x, y, z), 21);
  sleeve -= cuff * ramp(0.9, 0.915, s);
  sleeve = cut(sleeve, (s - 0.965) * armLength, 0.008);
  let d = trunk(x, y, z) + tight;
  if (Math.abs(d) < 0.03) d -= folds * trunkFolds(px, y, z, 23);
  return blend(d, sleeve, 0.05);
}

/** A standing collar of a given height round the neck, and its opening. */
function withCollar(d: number, x: number, y: number, z: number, top: number, thick: number, radius = 0.078): number {
  const neck = len(x / 1.02, z + 0.022);
  const stand = Math.max(cut(Math.abs(neck - radius) - thick, y - top - 0.015 * ramp(0.02, -0.05, z), 0.012), 1.43 - y);
  return cut(blend(d, stand, 0.018), -Math.max(neck - radius + thick * 1.1, 1.46 - y), 0.012);
}

export function sweaterDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px);
  const d = upperBody(px, y, z, { tight: 0.008, folds: 0.65, cuff: 0.005 }) - 0.003 * (1 - ramp(0.9, 0.915, y));
  return withCollar(cut(d, 0.87 - y, 0.012), x, y, z, 1.526, 0.0135, 0.081);
}

function suitDistance(
  px: number,
  y: number,
  z: number,
  tight: number,
  folds: number,
  top: number,
  thick: number,
): number {
  const x = Math.abs(px);
  const legs = trousersDistance(px, y, z) + tight * 0.5;
  const d = blend(upperBody(px, y, z, { tight, folds, cuff: 0.004 }), legs, 0.035);
  // A belt line where the cloth is drawn in.
  return withCollar(d + 0.006 * Math.exp(-(((y - 1.045) / 0.018) ** 2)), x, y, z, top, thick, 0.081);
}
export const overallsDistance = (px: number, y: number, z: number): number => {
  let d = suitDistance(px, y, z, 0.003, 0.9, 1.519, 0.0135);
  const x = Math.abs(px);
  if (z > 0) d -= 0.004 * (1 - ramp(0.012, 0.016, x)) * ramp(0.95, 0.97, y) * (1 - ramp(1.46, 1.49, y));
  if (z > 0) d -= 0.005 * (1 - ramp(0.042, 0.048, Math.abs(x - 0.085))) * (1 - ramp(0.045, 0.052, Math.abs(y - 1.31)));
  return d;
};
export const drysuitDistance = (px: number, y: number, z: number): number =>
  suitDistance(px, y, z, 0.009, 0.6, 1.519, 0.013) -
  0.004 * (1 - ramp(0.045, 0.055, Math.abs(y - 0.5))) * ramp(-0.01, 0.02, z) * ramp(0.04, 0.06, Math.abs(px));

/** The front panel of bib trousers with straps over the shoulders that meet between the shoulder blades; the seat goes over into the legs below. */
export function bibDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px),
    body = trunk(x, y, z);
  // Far from everything its sign is all that counts, and the wool below takes long to ask.
  if (body > 0.12) return body - 0.1;
  const wool = Math.min(body + 0.004, sweaterDistance(px, y, z)),
    shell = (over: number) => Math.max(wool - over, -wool - 0.008);
  const panel = Math.max(
    shell(0.009),
    len(Math.max(0, x - 0.085 - 0.02 * ramp(1.28, 1.05, y)), Math.max(0, Math.abs(y - 1.17) - 0.13)) - 0.02,
    -z,
  );
  const low = ramp(1.0, 0.87, y),
    around = (body - 0.011) * (1 - low) + (trousersDistance(px, y, z) - 0.009) * low;
  const outer = Math.min(around, wool - 0.007),
    seat = Math.max(outer, -outer - 0.02, y - 1.05, 0.8 - y);
  const behind = ramp(1.42, 1.22, y),
    along = z > 0 ? 0.084 + 0.036 * ramp(1.3, 1.46, y) : 0.12 - 0.114 * behind;
  const strap = cut(Math.max(shell(0.012), (z > 0 ? 1.2 : 1.02) - y), Math.abs(x - along) - 0.023, 0.007);
  const band = Math.max(shell(0.012), Math.abs(y - 1.035) - 0.022);
  return blend(Math.min(blend(panel, strap, 0.006), band), seat, 0.01);
}

/** A jersey's outside as what lies over it feels it: never within the trunk it is drawn over. Cheap far from it. */
function overJersey(px: number, y: number, z: number): number {
  const body = trunk(Math.abs(px), y, z);
  return body > 0.12 ? body - 0.02 : Math.min(body, sweaterDistance(px, y, z) + 0.002);
}

/** A high-visibility waistcoat: a thin shell over whatever lies below, closed at the sides, open at neck, arms and down the front. */
export function waistcoatDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px),
    body = overJersey(px, y, z);
  const flare = 0.01 + 0.006 * (1 - ramp(0.93, 1.12, y)),
    wave = 0.003 * Math.sin(y * 34 + 2 * Math.sin(px * 21));
  // The inside lies under the clothes: a shell thinner than the grid would tear.
  let d = Math.max(body - flare - 0.007 - wave, -(body - flare + 0.016));
  d = Math.max(d, 0.93 - y, y - 1.56);
  // Armholes reach down to the lower end of the shoulder blades; the neck is a V in front and round behind.
  d = cut(d, Math.min(x - 0.158 - 0.03 * ramp(1.3, 1.22, y), y - 1.215 + 0.6 * Math.max(0, 0.2 - x)), 0.012);
  const neck = z > 0 ? x - 0.088 * ramp(1.2, 1.46, y) : x - 0.088 * ramp(1.43, 1.5, y);
  d = cut(d, -Math.max(neck, (z > 0 ? 1.2 : 1.42) - y), 0.008);
  return z > 0 ? cut(d, 0.004 - x, 0.004) : d;
}

const headPoint = (x: number, y: number, z: number): [number, number, number] => [
  x * 1000 - HEAD_AT[0] * 1000,
  (y - HEAD_AT[1]) * 1000,
  (z - HEAD_AT[2]) * 1000,
];

/** Ear cups, a band over the head, a microphone boom on the left; drawn in the head's millimetres. */
export function headsetDistance(px: number, py: number, pz: number): number {
  const [hx, y, z] = headPoint(px, py, pz),
    x = Math.abs(hx);
  const shell = ellipsoid(x, y, z, [85, 103, -13], [13, 33, 27]);
  const cushion = Math.abs(len(len((y - 103) / 1.12, z + 13) - 22, x - 78)) - 6.5;
  // A skull is boxier than a circle, and so is what goes round it.
  const round = ((x / 87) ** 2.6 + (Math.max(0, y - 118) / 113) ** 2.6) ** (1 / 2.6);
  const band = len(Math.max(0, Math.abs((round - 1) * 92) - 1.5), Math.max(0, Math.abs(z + 12) - 8)) - 3;
  let d = Math.min(blend(shell, cushion, 4), Math.max(band, 108 - y));
  if (hx > 0)
    d = Math.min(
      d,
      roundCone(hx, y, z, [88, 92, -2], [66, 44, 74], 3.6, 3.4),
      roundCone(hx, y, z, [66, 44, 74], [38, 40, 104], 3.4, 3.2),
      ellipsoid(hx, y, z, [34, 40, 107], [9, 7, 7]),
    );
  return d / 1000;
}

/** A ribbon round the neck and a card on the chest, over jersey and waistcoat. */
export function lanyardDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px),
    body = overJersey(px, y, z) - 0.021;
  const t = Math.max(0, Math.min(1, (1.475 - y) / 0.235));
  const line = Math.abs(x - 0.092 * (1 - t) ** 0.8 - 0.004);
  const ribbon = cut(Math.max(Math.abs(body) - 0.0042, 1.24 - y, y - 1.5, -z - 0.02), line - 0.0105, 0.003);
  const card = Math.max(Math.abs(body - 0.005) - 0.0038, x - 0.032, Math.abs(y - 1.185) - 0.046, -z);
  return Math.min(ribbon, card);
}
