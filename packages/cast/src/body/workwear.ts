import { blend, cut, ellipsoid, len, roundCone } from '../implicit/distance.ts';
import { alongArm, armLength, ramp, trousersDistance, trunk } from './garments.ts';
import { ELBOW, HEAD_AT, SHOULDER, WRIST } from './joints.ts';

/** Trunk and sleeves lying closer than the jacket; `folds` in metres. */
function upperBody(px: number, y: number, z: number, options: { tight: number; folds: number; cuff: number }): number {
  const x = Math.abs(px), s = alongArm(x, y, z), { tight, folds, cuff } = options;
  let sleeve = roundCone(x, y, z, SHOULDER, ELBOW, 0.072 - tight * 0.6, 0.055 - tight * 0.5);
  sleeve = blend(sleeve, roundCone(x, y, z, ELBOW, WRIST, 0.055 - tight * 0.5, 0.042 - tight * 0.4), 0.02);
  const round = Math.atan2(z - ELBOW[2], y - ELBOW[1]);
  sleeve -= folds * (ramp(0.25, 0.5, s) * (1 - ramp(0.6, 0.8, s)) + ramp(0.74, 0.86, s) * (1 - ramp(0.9, 0.95, s))) * Math.sin(s * 62 + 1.6 * Math.sin(round * 2 + (px > 0 ? 0.9 : 0.1)));
  sleeve -= cuff * ramp(0.9, 0.915, s);
  sleeve = cut(sleeve, (s - 0.965) * armLength, 0.008);
  let d = trunk(x, y, z) + tight;
  d -= folds * ((1 - ramp(0.99, 1.16, y)) * 0.8 + ramp(1.06, 1.14, y) * (1 - ramp(1.2, 1.32, y)) * 0.6) * Math.sin(y * 51 + 2.3 * Math.sin(px * 15 + 1.9) + 1.5 * Math.cos(z * 17));
  return blend(d, sleeve, 0.05);
}

/** A standing collar of a given height round the neck, and its opening. */
function withCollar(d: number, x: number, y: number, z: number, top: number, thick: number, radius = 0.078): number {
  const neck = len(x / 1.02, z + 0.022);
  const stand = Math.max(Math.abs(neck - radius) - thick, y - top - 0.015 * ramp(0.02, -0.05, z), 1.43 - y);
  return cut(blend(d, stand, 0.018), -Math.max(neck - radius + thick * 1.1, 1.46 - y), 0.012);
}

export function sweaterDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px);
  const d = upperBody(px, y, z, { tight: 0.008, folds: 0.003, cuff: 0.005 }) - 0.003 * (1 - ramp(0.9, 0.915, y));
  return withCollar(cut(d, 0.87 - y, 0.012), x, y, z, 1.522, 0.009);
}

function suitDistance(px: number, y: number, z: number, tight: number, folds: number, top: number, thick: number): number {
  const x = Math.abs(px);
  const legs = trousersDistance(px, y, z) + tight * 0.5;
  const d = blend(upperBody(px, y, z, { tight, folds, cuff: 0.004 }), legs, 0.035);
  // A belt line where the cloth is drawn in.
  return withCollar(d + 0.006 * Math.exp(-(((y - 1.045) / 0.018) ** 2)), x, y, z, top, thick);
}
export const overallsDistance = (px: number, y: number, z: number): number => {
  let d = suitDistance(px, y, z, 0.003, 0.0038, 1.515, 0.011);
  const x = Math.abs(px);
  if (z > 0) d -= 0.004 * (1 - ramp(0.012, 0.016, x)) * ramp(0.95, 0.97, y) * (1 - ramp(1.46, 1.49, y));
  if (z > 0) d -= 0.005 * (1 - ramp(0.042, 0.048, Math.abs(x - 0.085))) * (1 - ramp(0.045, 0.052, Math.abs(y - 1.31)));
  return d;
};
export const drysuitDistance = (px: number, y: number, z: number): number => suitDistance(px, y, z, 0.009, 0.0026, 1.515, 0.0095) - 0.004 * (1 - ramp(0.045, 0.055, Math.abs(y - 0.5))) * ramp(-0.01, 0.02, z) * ramp(0.04, 0.06, Math.abs(px));

/** The front panel of bib trousers with straps over the shoulders and a waistband. */
export function bibDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px), body = trunk(x, y, z) + 0.004;
  const shell = (thick: number) => Math.max(body - thick, -body - 0.006);
  const panel = Math.max(shell(0.012), len(Math.max(0, x - 0.085 - 0.02 * ramp(1.28, 1.05, y)), Math.max(0, Math.abs(y - 1.17) - 0.13)) - 0.02, -z);
  const seat = Math.max(body - 0.016 - 0.006 * ramp(1.0, 0.9, y), -body - 0.004, y - 1.05, 0.84 - y);
  const strap = Math.max(shell(0.011), Math.abs(x - 0.082 - 0.012 * ramp(1.3, 1.46, y)) - 0.017, 1.2 - y);
  const band = Math.max(shell(0.011), Math.abs(y - 1.03) - 0.022);
  return blend(blend(Math.min(panel, strap), band, 0.01), seat, 0.012);
}

/** A high-visibility waistcoat: a thin shell over whatever lies below, open at neck and arms. */
export function waistcoatDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px), body = trunk(x, y, z);
  const flare = 0.012 + 0.01 * (1 - ramp(0.95, 1.1, y)), wave = 0.0025 * Math.sin(y * 40 + 2 * Math.sin(px * 21));
  // The inside lies under the clothes: a shell thinner than the grid would tear.
  let d = Math.max(body - flare - 0.007 - wave, -(body - flare + 0.016));
  d = Math.max(d, 0.93 - y, y - 1.47);
  // armholes and a V at the neck
  d = cut(d, x - 0.168 + 0.05 * ramp(1.3, 1.1, y) * 0, 0.01);
  d = cut(d, -(x - (0.062 + 0.03 * ramp(1.42, 1.47, y)) * ramp(1.22, 1.44, y) * (z > 0 ? 1 : ramp(1.4, 1.44, y))), 0.006);
  return z > 0 ? cut(d, 0.004 - x, 0.003) : d;
}

const headPoint = (x: number, y: number, z: number): [number, number, number] => [x * 1000 - HEAD_AT[0] * 1000, (y - HEAD_AT[1]) * 1000, (z - HEAD_AT[2]) * 1000];

/** Ear cups, a band over the head, a microphone boom on the left; drawn in the head's millimetres. */
export function headsetDistance(px: number, py: number, pz: number): number {
  const [hx, y, z] = headPoint(px, py, pz), x = Math.abs(hx);
  const shell = ellipsoid(x, y, z, [85, 103, -13], [13, 33, 27]);
  const cushion = Math.abs(len(len((y - 103) / 1.12, z + 13) - 22, x - 78)) - 6.5;
  // A skull is boxier than a circle, and so is what goes round it.
  const round = ((x / 87) ** 2.6 + (Math.max(0, y - 118) / 113) ** 2.6) ** (1 / 2.6);
  const band = len(Math.max(0, Math.abs((round - 1) * 92) - 1.5), Math.max(0, Math.abs(z + 12) - 8)) - 3;
  let d = Math.min(blend(shell, cushion, 4), Math.max(band, 108 - y));
  if (hx > 0) d = Math.min(d, roundCone(hx, y, z, [88, 92, -2], [66, 44, 74], 3.6, 3.4), roundCone(hx, y, z, [66, 44, 74], [38, 40, 104], 3.4, 3.2), ellipsoid(hx, y, z, [34, 40, 107], [9, 7, 7]));
  return d / 1000;
}

/** A ribbon round the neck and a card on the chest. */
export function lanyardDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px), body = trunk(x, y, z) - 0.021;
  const t = Math.max(0, Math.min(1, (1.475 - y) / 0.235));
  const line = Math.abs(x - 0.092 * (1 - t) ** 0.8 - 0.004);
  const ribbon = Math.max(Math.abs(body) - 0.0034, line - 0.008, 1.24 - y, y - 1.472, -z - 0.02);
  const card = Math.max(Math.abs(body - 0.005) - 0.0038, x - 0.032, Math.abs(y - 1.185) - 0.046, -z);
  return Math.min(ribbon, card);
}
