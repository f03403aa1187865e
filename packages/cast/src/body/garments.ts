import { cross, dot } from '@dimetra/core';
import { blend, cut, ellipsoid, len, roundCone } from '../implicit/distance.ts';
import { surfaceNet, type Net } from '../implicit/surface-nets.ts';
import { legFolds, sleeveFolds, trunkFolds } from './folds.ts';
import { ELBOW, FINGERS, HAND, HEAD_AT, SHOULDER, WRIST } from './joints.ts';

export const ramp = (a: number, b: number, x: number): number => {
  const t = Math.max(0, Math.min(1, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
};
const armAxis = [WRIST[0] - SHOULDER[0], WRIST[1] - SHOULDER[1], WRIST[2] - SHOULDER[2]];
export const armLength = len(armAxis[0], armAxis[1], armAxis[2]);
/** Place along the arm, 0 at the shoulder, 1 at the wrist; left side. */
export const alongArm = (x: number, y: number, z: number): number =>
  ((x - SHOULDER[0]) * armAxis[0] + (y - SHOULDER[1]) * armAxis[1] + (z - SHOULDER[2]) * armAxis[2]) / armLength ** 2;

/** How far a point lies off the arm's line: in the frontal plane, and forward; left side. */
export const offArm = (x: number, y: number, z: number): [across: number, depth: number] => [
  (x - SHOULDER[0] + (y - SHOULDER[1])) * Math.SQRT1_2,
  z - ELBOW[2],
];

/** Distance to a jacket's trunk without sleeves; `x` on the left side. */
export function trunk(x: number, y: number, z: number): number {
  let d = ellipsoid(x, y, z, [0, 1.325, 0.002], [0.186, 0.2, 0.138]);
  d = blend(d, ellipsoid(x, y, z, [0, 1.12, 0.004], [0.168, 0.24, 0.13]), 0.09);
  d = blend(d, ellipsoid(x, y, z, [0, 0.94, -0.004], [0.188, 0.17, 0.142]), 0.09);
  // Room for the seat and the shoulder blades.
  d = blend(d, ellipsoid(x, y, z, [0.082, 0.89, -0.05], [0.106, 0.14, 0.108]), 0.06);
  d = blend(d, ellipsoid(x, y, z, [0.082, 1.325, -0.05], [0.086, 0.13, 0.094]), 0.05);
  d = blend(d, roundCone(x, y, z, [0.045, 1.462, -0.022], [0.17, 1.43, -0.014], 0.058, 0.07), 0.05);
  return d;
}

export function jacketDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px);
  const s = alongArm(x, y, z);
  let sleeve = roundCone(x, y, z, SHOULDER, ELBOW, 0.078, 0.06);
  sleeve = blend(sleeve, roundCone(x, y, z, ELBOW, WRIST, 0.06, 0.046), 0.02);
  if (Math.abs(sleeve) < 0.03) sleeve -= sleeveFolds(px, y, z, s, ...offArm(x, y, z), 1);
  sleeve -= 0.004 * ramp(0.885, 0.9, s);
  sleeve = cut(sleeve, (s - 0.965) * armLength, 0.008);
  let d = trunk(x, y, z);
  if (Math.abs(d) < 0.03) d -= trunkFolds(px, y, z, 2);
  d = blend(d, sleeve, 0.055);
  // storm flap over the zip, chest pockets, hem band
  if (z > 0) d -= 0.005 * (1 - ramp(0.024, 0.03, Math.abs(px - 0.006))) * ramp(0.88, 0.9, y) * (1 - ramp(1.46, 1.5, y));
  if (z > 0) d -= 0.006 * (1 - ramp(0.05, 0.056, Math.abs(x - 0.1))) * (1 - ramp(0.055, 0.062, Math.abs(y - 1.02)));
  d -= 0.005 * (1 - ramp(0.895, 0.905, y));
  d = cut(d, 0.862 - y, 0.012);
  const neck = len(x / 1.02, z + 0.022);
  const stand = Math.max(
    cut(Math.abs(neck - 0.083 - 0.012 * ramp(1.5, 1.545, y)) - 0.0125, y - 1.541 - 0.018 * ramp(0.02, -0.05, z), 0.012),
    1.43 - y,
  );
  d = blend(d, stand, 0.016);
  // the opening of the collar
  return cut(d, -Math.max(neck - 0.069, 1.47 - y), 0.012);
}

export function trousersDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px);
  let leg = roundCone(x, y, z, [0.09, 0.88, -0.006], [0.102, 0.505, 0.004], 0.096, 0.07);
  leg = blend(leg, roundCone(x, y, z, [0.102, 0.505, 0.004], [0.111, 0.15, -0.022], 0.07, 0.066), 0.03);
  leg = blend(leg, ellipsoid(x, y, z, [0.109, 0.355, -0.028], [0.058, 0.13, 0.06]), 0.03);
  if (Math.abs(leg) < 0.03) leg -= legFolds(px, y, z, 4);
  let d = blend(ellipsoid(x, y, z, [0, 0.938, -0.01], [0.165, 0.134, 0.122]), leg, 0.04);
  d = blend(d, ellipsoid(x, y, z, [0.08, 0.892, -0.05], [0.088, 0.105, 0.081]), 0.045);
  d = Math.min(d, Math.max(leg, x * -1 + 0.004));
  return cut(cut(d, 0.175 - y, 0.008), y - 1.03, 0.01);
}

export function bootDistance(px: number, y: number, z: number): number {
  const x = Math.abs(px);
  let d = roundCone(x, y, z, [0.109, 0.27, -0.014], [0.112, 0.1, -0.032], 0.052, 0.05);
  d = blend(d, roundCone(x, y, z, [0.112, 0.062, -0.05], [0.122, 0.052, 0.1], 0.047, 0.046), 0.045);
  d = blend(d, ellipsoid(x, y, z, [0.124, 0.045, 0.125], [0.05, 0.042, 0.062]), 0.03);
  const sole = Math.max(
    len(Math.max(0, Math.abs(x - 0.117 - (z > 0 ? 0.006 : 0)) - 0.024), Math.max(0, Math.abs(z - 0.042) - 0.118)) -
      0.03,
    y - 0.03,
    -y,
  );
  d = blend(cut(d, 0.012 - y, 0.01), sole, 0.008);
  d -= 0.004 * (1 - ramp(0.008, 0.012, Math.abs(y - 0.3)));
  return cut(d, y - 0.312, 0.008);
}

export function beanieDistance(px: number, y: number, z: number): number {
  const x = px * 1000,
    hy = (y - HEAD_AT[1]) * 1000,
    hz = (z - HEAD_AT[2]) * 1000;
  const crown = ellipsoid(x, hy, hz, [0, 138, -8], [90, 107, 111]);
  const edge = 158 - 42 * ramp(60, -70, hz);
  const roll = Math.max(crown - 5.5 - 1.2 * Math.cos((hy - edge - 18) / 8), Math.abs(hy - edge - 18) - 21);
  const rib = 0.5 * Math.sin(Math.atan2(x, hz + 8) * 64);
  let d = Math.max(crown - 1 - 0.8 * Math.sin(hy / 9 + Math.sin(Math.atan2(x, hz) * 3)), edge - hy);
  d = blend(d, roll - rib, 5);
  return d / 1000;
}

/** A life vest; its belt is drawn tight over what is worn below. */
export const vestOver =
  (below: (x: number, y: number, z: number) => number) =>
  (px: number, y: number, z: number): number => {
    const x = Math.abs(px),
      body = trunk(x, y, z);
    const box = (cx: number, cy: number, hx: number, hy: number) =>
      len(Math.max(0, Math.abs(x - cx) - hx), Math.max(0, Math.abs(y - cy) - hy)) - 0.02;
    const puff = 0.004 * Math.cos((y - 1.1) * 60);
    const front = cut(Math.max(body - 0.036 - puff, -body - 0.01, -z), box(0.088, 1.24, 0.036, 0.13), 0.014);
    const back = cut(
      Math.max(body - 0.03 - puff, -body - 0.01, z),
      len(Math.max(0, x - 0.075), Math.max(0, Math.abs(y - 1.28) - 0.11)) - 0.032,
      0.014,
    );
    const shoulder = cut(Math.max(body - 0.024, -body - 0.01, 1.36 - y), Math.abs(x - 0.092) - 0.033, 0.01);
    const tight = Math.abs(y - 1.165) < 0.05 && Math.abs(body) < 0.08 ? below(px, y, z) : body,
      belt = cut(Math.max(tight - 0.007, -tight - 0.014), Math.abs(y - 1.165) - 0.019, 0.006);
    const collar = Math.max(
      Math.abs(len(x / 1.05, z + 0.03) - 0.112) - 0.018,
      Math.abs(y - 1.475 + 0.02 * ramp(-0.1, 0.1, z)) - 0.022,
      z - 0.02,
    );
    return blend(blend(Math.min(front, back), blend(shoulder, belt, 0.006), 0.014), collar, 0.02);
  };

/** The hand's directions are not quite at right angles: these read a place in their frame back, or fingers lie beside their joints. */
const ACROSS_HAND = (() => {
  const { forward, thumbward, palm } = HAND,
    volume = dot(forward, cross(thumbward, palm));
  return [cross(thumbward, palm), cross(palm, forward), cross(forward, thumbward)].map((row) =>
    row.map((x) => x / volume),
  );
})();

export function handDistance(px: number, y: number, z: number): number {
  const q = [Math.abs(px) - WRIST[0], y - WRIST[1], z - WRIST[2]];
  const f = q[0] * ACROSS_HAND[0][0] + q[1] * ACROSS_HAND[0][1] + q[2] * ACROSS_HAND[0][2];
  const t = q[0] * ACROSS_HAND[1][0] + q[1] * ACROSS_HAND[1][1] + q[2] * ACROSS_HAND[1][2];
  const p = q[0] * ACROSS_HAND[2][0] + q[1] * ACROSS_HAND[2][1] + q[2] * ACROSS_HAND[2][2];
  const wrist = roundCone(f, t * 0.82, p, [-0.07, 0, 0], [0.012, 0, 0.001], 0.025, 0.022);
  let palm = roundCone(f, t, p, [0.03, 0.018, 0.002], [0.088, 0.027, 0.001], 0.0165, 0.0125);
  for (const [a, b, ra, rb] of [
    [0.006, 0.009, 0.016, 0.0125],
    [-0.006, -0.011, 0.016, 0.0122],
    [-0.017, -0.028, 0.016, 0.0118],
  ] as const)
    palm = blend(palm, roundCone(f, t, p, [0.028, a, 0.003], [0.086, b, 0.002], ra, rb), 0.012);
  palm = blend(palm, ellipsoid(f, t, p, [0.045, 0.03, 0.013], [0.035, 0.017, 0.013]), 0.012);
  palm = blend(palm, ellipsoid(f, t, p, [0.045, -0.02, 0.01], [0.04, 0.014, 0.012]), 0.01);
  let d = blend(wrist, palm, 0.025);
  const radius: Record<string, number[]> = {
    thumb: [0.014, 0.0115, 0.0105, 0.008],
    index: [0.011, 0.0102, 0.009, 0.0082, 0.0062],
    middle: [0.011, 0.0105, 0.0093, 0.0084, 0.0064],
    ring: [0.011, 0.01, 0.009, 0.008, 0.006],
    little: [0.01, 0.009, 0.0078, 0.0071, 0.0054],
  };
  for (const [name, points] of Object.entries(FINGERS)) {
    let finger = Infinity;
    const start = name === 'thumb' ? 0 : 1;
    for (let i = start; i < points.length - 1; i++)
      finger = blend(finger, roundCone(f, t, p, points[i], points[i + 1], radius[name][i], radius[name][i + 1]), 0.004);
    for (let i = start + 1; i < points.length - 1; i++)
      finger = blend(
        finger,
        len(f - points[i][0], t - points[i][1], p - points[i][2] + 0.001) - radius[name][i] * 1.03,
        0.003,
      );
    d = blend(d, finger, name === 'thumb' ? 0.012 : 0.006);
  }
  return cut(d, -0.045 - f, 0.004);
}

/** One side is polygonised and mirrored, so that both are the same to the last digit. */
export function mirroredNet(
  distance: (x: number, y: number, z: number) => number,
  min: number[],
  max: number[],
  cell: number,
): Net {
  const half = surfaceNet(distance, min, max, cell);
  const n = half.positions.length / 3;
  const positions = new Float64Array(n * 6);
  positions.set(half.positions);
  for (let i = 0; i < n; i++) {
    positions[(n + i) * 3] = -half.positions[i * 3];
    positions[(n + i) * 3 + 1] = half.positions[i * 3 + 1];
    positions[(n + i) * 3 + 2] = half.positions[i * 3 + 2];
  }
  const quads = new Uint32Array(half.quads.length * 2);
  quads.set(half.quads);
  for (let q = 0; q < half.quads.length; q += 4)
    for (let k = 0; k < 4; k++) quads[half.quads.length + q + k] = half.quads[q + 3 - k] + n;
  return { positions, quads };
}
