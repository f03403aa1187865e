import { bell, step } from '../head/curves.ts';
import { blend, cut, ellipsoid, len, roundCone } from '../implicit/distance.ts';
import { alongArm, ramp } from './garments.ts';
import { ELBOW, HEAD_AT, SHOULDER, WRIST } from './joints.ts';

/** What makes one body differ from another; 1 is average, lengths in metres. */
export interface Physique {
  chest: number;
  waist: number;
  hips: number;
  muscle: number;
  /** How far the breasts stand out. */
  bust: number;
  neck: number;
}
export const AVERAGE_BODY: Physique = { chest: 1, waist: 1, hips: 1, muscle: 1, bust: 0, neck: 1 };

/** A row of a table of cross-sections: place along the limb, centre and radii across, metres. */
type Section = readonly [at: number, cu: number, cw: number, ru: number, rw: number];

/** Reads a table of sections anywhere, smoothly (Catmull–Rom); beyond its ends it stays as it ends. Rows rise in their place. */
function between(table: readonly Section[], at: number, out: number[]): void {
  let i = 0;
  while (i < table.length - 2 && at > table[i + 1][0]) i++;
  const a = table[Math.max(0, i - 1)],
    b = table[i],
    c = table[i + 1],
    d = table[Math.min(table.length - 1, i + 2)];
  const h = c[0] - b[0],
    t = Math.max(0, Math.min(1, (at - b[0]) / h)),
    tt = t * t,
    ttt = tt * t;
  for (let k = 1; k < 5; k++) {
    const m0 = d === a ? 0 : ((c[k] - a[k]) / (c[0] - a[0] || 1)) * h,
      m1 = ((d[k] - b[k]) / (d[0] - b[0] || 1)) * h;
    out[k] = (2 * ttt - 3 * tt + 1) * b[k] + (ttt - 2 * tt + t) * m0 + (3 * tt - 2 * ttt) * c[k] + (ttt - tt) * m1;
  }
}

/** About the distance to an ellipse; `power` above 2 makes it boxier. */
function toEllipse(u: number, w: number, ru: number, rw: number, power: number): number {
  const k = power === 2 ? len(u / ru, w / rw) : (Math.abs(u / ru) ** power + Math.abs(w / rw) ** power) ** (1 / power);
  return (k - 1) * Math.min(ru, rw);
}

/** Height, centre forward, half breadth, half depth. */
const TRUNK: readonly Section[] = [
  [0.8, 0, -0.012, 0.085, 0.045],
  [0.85, 0, -0.013, 0.14, 0.078],
  [0.9, 0, -0.014, 0.166, 0.1],
  [0.955, 0, -0.014, 0.163, 0.102],
  [1.02, 0, -0.008, 0.147, 0.095],
  [1.08, 0, -0.006, 0.137, 0.09],
  [1.14, 0, -0.008, 0.137, 0.092],
  [1.22, 0, -0.009, 0.146, 0.1],
  [1.3, 0, -0.008, 0.152, 0.107],
  [1.37, 0, -0.012, 0.143, 0.097],
  [1.425, 0, -0.022, 0.115, 0.078],
  [1.475, 0, -0.027, 0.072, 0.06],
  [1.52, 0, -0.018, 0.05, 0.048],
  [1.58, 0, -0.004, 0.048, 0.047],
];
/** Height, centre to the side and forward, half breadth, half depth of the left leg. */
const LEG: readonly Section[] = [
  [0.07, 0.112, -0.034, 0.03, 0.036],
  [0.11, 0.112, -0.03, 0.0305, 0.036],
  [0.16, 0.1115, -0.028, 0.032, 0.036],
  [0.22, 0.111, -0.025, 0.0375, 0.0415],
  [0.3, 0.11, -0.018, 0.046, 0.047],
  [0.36, 0.109, -0.014, 0.05, 0.052],
  [0.42, 0.107, -0.008, 0.0495, 0.051],
  [0.465, 0.1055, -0.001, 0.048, 0.051],
  [0.505, 0.104, 0.005, 0.05, 0.0555],
  [0.55, 0.103, 0.002, 0.053, 0.057],
  [0.62, 0.1, 0.001, 0.0605, 0.065],
  [0.7, 0.097, 0, 0.071, 0.072],
  [0.78, 0.0935, -0.001, 0.079, 0.078],
  [0.85, 0.0895, -0.006, 0.082, 0.083],
  [0.92, 0.085, -0.012, 0.072, 0.082],
  [1, 0.08, -0.012, 0.045, 0.055],
];
/** Place from shoulder to wrist, centre off the straight line (in the frontal plane, forward), radii alike. */
const ARM: readonly Section[] = [
  [-0.06, -0.03, 0, 0.022, 0.036],
  [0.02, -0.016, 0, 0.034, 0.044],
  [0.12, -0.005, -0.001, 0.0415, 0.049],
  [0.28, 0.001, 0.001, 0.0405, 0.0475],
  [0.4, 0.001, 0.0, 0.038, 0.0435],
  [0.5, 0, -0.004, 0.0345, 0.0385],
  [0.54, 0, -0.005, 0.034, 0.0375],
  [0.6, 0, -0.003, 0.036, 0.04],
  [0.67, 0, 0, 0.0355, 0.04],
  [0.76, 0, 0.001, 0.031, 0.0345],
  [0.86, 0, 0.001, 0.025, 0.0295],
  [0.93, 0, 0, 0.0228, 0.0285],
  [1, 0, 0, 0.0222, 0.028],
];
const row = [0, 0, 0, 0, 0];

function trunkDistance(p: Physique, x: number, y: number, z: number): number {
  between(TRUNK, y, row);
  const chest = ramp(1.16, 1.3, y) * ramp(1.5, 1.42, y),
    waist = Math.exp(-(((y - 1.1) / 0.075) ** 2)),
    hips = Math.exp(-(((y - 0.92) / 0.08) ** 2));
  const neck = 1 + (p.neck * 0.95 - 1) * ramp(1.42, 1.49, y);
  const size = neck + (p.chest - 1) * chest + (p.waist - 1) * waist + (p.hips - 1) * hips;
  let d = toEllipse(
    x,
    z - row[2],
    row[3] * size,
    row[4] * (1 + (size - 1) * 0.7),
    y > 1.38 ? 2 : 2 + 0.35 * ramp(1.38, 1.3, y),
  );
  d = blend(d, roundCone(x, y, z, [0.03, 1.43, -0.03], [0.15, 1.408, -0.016], 0.046, 0.044), 0.06);
  d = blend(d, ellipsoid(x, y, z, [0.072, 1.338, 0.052], [0.072, 0.056, 0.034 * p.muscle]), 0.045);
  if (p.bust > 0) d = blend(d, ellipsoid(x, y, z, [0.072, 1.286, 0.062], [0.052, 0.056, 0.026 + p.bust]), 0.03);
  d = blend(d, ellipsoid(x, y, z, [0.112, 1.3, -0.03], [0.034, 0.105, 0.04 * p.muscle]), 0.05);
  d = blend(d, ellipsoid(x, y, z, [0.078, 1.352, -0.08], [0.056, 0.07, 0.022]), 0.05);
  d = blend(d, ellipsoid(x, y, z, [0.076, 0.912, -0.066], [0.068 * p.hips, 0.076, 0.045]), 0.045);
  // The furrow of the spine, the line down the belly and the edge of the ribs.
  d += 0.007 * bell(x, 0.018) * ramp(-0.04, -0.07, z) * ramp(0.93, 1.0, y) * ramp(1.44, 1.38, y);
  d += 0.0035 * p.muscle * bell(x, 0.014) * ramp(0.04, 0.07, z) * ramp(0.98, 1.04, y) * ramp(1.36, 1.26, y);
  d += 0.004 * bell(y - 1.2 + x * 0.5, 0.022) * ramp(0.03, 0.06, z) * ramp(0.12, 0.09, x);
  // The muscle from neck to shoulder.
  d = blend(d, roundCone(x, y, z, [0.026, 1.492, -0.034], [0.148, 1.424, -0.024], 0.021, 0.028), 0.05);
  // Collar bones stand out a little.
  return (
    d -
    0.003 *
      bell(y - 1.436 + 0.02 * Math.sin(x * 26), 0.014) *
      ramp(0.012, 0.03, x) *
      ramp(0.15, 0.11, x) *
      ramp(0.01, 0.03, z)
  );
}

function armDistance(p: Physique, x: number, y: number, z: number): number {
  const s = alongArm(x, y, z);
  between(ARM, s, row);
  // The line from shoulder over elbow to wrist is nearly straight; what it leaves it by lies in depth.
  const depth =
    s < 0.53
      ? SHOULDER[2] + (ELBOW[2] - SHOULDER[2]) * (s / 0.53)
      : ELBOW[2] + (WRIST[2] - ELBOW[2]) * ((s - 0.53) / 0.47);
  const u = (x - SHOULDER[0] + (y - SHOULDER[1])) * Math.SQRT1_2,
    w = z - depth,
    strong = 1 + (p.muscle - 1) * (Math.exp(-(((s - 0.28) / 0.16) ** 2)) + 0.7 * Math.exp(-(((s - 0.65) / 0.12) ** 2)));
  let d = toEllipse(u - row[1], w - row[2], row[3] * strong, row[4] * strong, 2);
  d = Math.max(d, -s * ARM_LENGTH - 0.02);
  d = blend(
    d,
    roundCone(x, y, z, [0.18, 1.402, -0.012], [0.243, 1.346, -0.012], 0.042 + 0.004 * p.muscle, 0.028),
    0.055,
  );
  // The point of the elbow.
  d = blend(
    d,
    ellipsoid(x, y, z, [ELBOW[0] - 0.008, ELBOW[1] - 0.008, ELBOW[2] - 0.026], [0.018, 0.018, 0.014]),
    0.025,
  );
  return cut(d, (s - 0.955) * ARM_LENGTH, 0.006);
}
const ARM_LENGTH = len(WRIST[0] - SHOULDER[0], WRIST[1] - SHOULDER[1], WRIST[2] - SHOULDER[2]);

function legDistance(p: Physique, x: number, y: number, z: number): number {
  between(LEG, y, row);
  const strong =
    1 + (p.muscle - 1) * (Math.exp(-(((y - 0.36) / 0.08) ** 2)) + 0.5 * Math.exp(-(((y - 0.74) / 0.14) ** 2)));
  let d = Math.max(toEllipse(x - row[1], z - row[2], row[3] * strong, row[4] * strong, 2), 0.06 - y, y - 1);
  // Kneecap, the two heads of the calf, the shin's edge, ankles.
  d = blend(d, ellipsoid(x, y, z, [0.104, 0.508, 0.038], [0.03, 0.04, 0.024]), 0.02);
  for (const [cx, cy] of [
    [0.124, 0.37],
    [0.092, 0.352],
  ])
    d = blend(d, ellipsoid(x, y, z, [cx, cy, -0.04], [0.026, 0.075, 0.024 * p.muscle]), 0.035);
  for (const side of [-1, 1])
    d = blend(d, ellipsoid(x, y, z, [0.1115 + side * 0.026, 0.1 - side * 0.006, -0.03], [0.011, 0.017, 0.014]), 0.016);
  d = blend(d, roundCone(x, y, z, [0.112, 0.042, -0.056], [0.112, 0.1, -0.038], 0.027, 0.025), 0.03);
  d = blend(d, roundCone(x, y, z, [0.112, 0.084, -0.018], [0.121, 0.034, 0.1], 0.032, 0.026), 0.035);
  d = blend(d, ellipsoid(x, y, z, [0.123, 0.031, 0.122], [0.04, 0.02, 0.05]), 0.024);
  // The arch within, and the sole's flat.
  d += 0.01 * bell(z - 0.02, 0.035) * ramp(0.118, 0.098, x) * ramp(0.05, 0.02, y);
  return cut(d, 0.013 - y, 0.012);
}

/** Distance to a body from the neck to the soles, without hands: what stands in the clothes. Wears a thin vest, shorts and socks. @param open leaves out what the foot of the head covers */
export function bodyDistance(p: Physique, open = true): (px: number, y: number, z: number) => number {
  return (px, y, z) => {
    const x = Math.abs(px);
    let d = Math.max(trunkDistance(p, x, y, z), 0.835 - y);
    const leg = legDistance(p, x, y, z);
    d = Math.min(blend(d, leg, 0.04), Math.max(leg, 0.004 - x));
    d = blend(d, armDistance(p, x, y, z), 0.045);
    d -= 0.0016 * linen(x, y, z);
    if (!open) return d;
    // Inside the head's foot it ends, along the same sloping line: it would come through a slender neck.
    const foot = toEllipse(x, z + 0.018, 0.07 * p.neck, 0.054, 2),
      level = y - HEAD_AT[1] + 0.25 * (z - HEAD_AT[2]);
    return cut(d, Math.min(level + 0.066, -foot), 0.004);
  };
}

/** 0 on skin, 1 under the thin linen: a vest, shorts to the thigh, socks above the ankle. `x` on the left side, standard height. */
export function linen(x: number, y: number, z: number): number {
  const s = alongArm(x, y, z),
    edge = 0.004;
  const legs = Math.max(step(0.735 - edge, 0.735 + edge, y), step(0.185 + edge, 0.185 - edge, y));
  // A round neck, lower in front.
  const neck = len(x, (y - 1.495) / 0.85, z - 0.012) - 0.104;
  const sleeve = x > SHOULDER[0] + (SHOULDER[1] - y) * 0.35 ? step(0.37, 0.355, s) : 1,
    vest = step(-edge, edge, neck) * sleeve;
  return y < 1 ? legs : vest;
}
