import { noise } from '../paint/noise.ts';

/** Rounded above, narrow below, as cloth lies: −1 … 1 over one turn of `phase`. */
const ridge = (phase: number): number => 1 - 2 * Math.abs(Math.cos(phase / 2)) ** 1.4;

/**
 * Height of folds at a place, −1 … 1 about: waves along `phase` (one fold every 2π) that run askew, split and fade as
 * noise has it, so that no two sleeves are alike and nothing goes round like a tyre. Metres in, seeds apart for each garment.
 */
export function fold(phase: number, x: number, y: number, z: number, seed: number): number {
  const askew = noise(x * 8 + seed, y * 8, z * 8) - 0.5, strength = noise(x * 11, y * 11 + seed, z * 11);
  const t = Math.max(0, Math.min(1, (strength - 0.22) / 0.5));
  return ridge(phase + 9 * askew) * t * t * (3 - 2 * t) * 1.25;
}

const bell = (x: number, width: number): number => Math.exp(-((x / width) ** 2));
const ramp = (a: number, b: number, x: number): number => { const t = Math.max(0, Math.min(1, (x - a) / (b - a))); return t * t * (3 - 2 * t); };

/**
 * Folds of a sleeve: drawn askew below the shoulder, gathered in the crook of the elbow, pushed up above the cuff.
 * @param s place along the arm, 0 at the shoulder, 1 at the wrist @param across from the arm's line in the frontal plane @param depth from it forward
 * @returns metres outwards, more out than in, so that what lies below stays below
 */
export function sleeveFolds(px: number, y: number, z: number, s: number, across: number, depth: number, seed: number): number {
  if (s < 0.04 || s > 0.95) return 0;
  const round = Math.atan2(across, depth), crook = 0.55 + 0.45 * Math.cos(round);
  let out = 0;
  const below = ramp(0.06, 0.16, s) * ramp(0.42, 0.3, s), elbow = bell(s - 0.51, 0.11) * crook, cuff = ramp(0.66, 0.8, s) * ramp(0.91, 0.885, s);
  if (below > 0.01) out += below * 0.0042 * fold(s * 40 + 2 * round, px, y, z, seed);
  if (elbow > 0.01) out += elbow * 0.0068 * fold(s * 62 + 1.2 * Math.cos(round), px, y, z, seed + 3);
  if (cuff > 0.01) out += cuff * 0.0062 * fold(s * 66 + round, px, y, z, seed + 5);
  return out + 0.7 * below * 0.0042 + 0.25 * (elbow * 0.0068 + cuff * 0.0062);
}

/** Folds of what hangs from the shoulders: falling from the armpits, pushed together at the waist, hanging at the hem. Metres outwards. */
export function trunkFolds(px: number, y: number, z: number, seed: number, hem = 0.87): number {
  const x = Math.abs(px), ax = x - 0.178, ay = y - 1.345, far = Math.hypot(ax, ay);
  const pit = bell(far - 0.085, 0.05) * ramp(0.02, 0.06, Math.abs(z)) * ramp(1.44, 1.38, y), waist = bell(y - 1.1, 0.07), hang = ramp(1.06, hem + 0.02, y);
  let out = 0;
  if (pit > 0.01) out += pit * 0.0046 * fold(Math.atan2(ay, ax) * 7, px, y, z, seed);
  if (waist > 0.01) out += waist * 0.005 * fold(y * 76 + 2.5 * Math.sin(px * 9) + (z > 0 ? 0 : 2), px, y, z, seed + 7);
  if (hang > 0.01) out += hang * 0.0058 * fold(Math.atan2(px, z) * 8 + y * 9, px, y, z, seed + 11);
  return out + 0.5 * (pit * 0.0046 + waist * 0.005) + 1.3 * hang * 0.0058;
}

/** Folds of a trouser leg: fanning out from the crotch, behind the knee, heaped up where the leg meets the boot. Metres outwards. */
export function legFolds(px: number, y: number, z: number, seed: number): number {
  const x = Math.abs(px), round = Math.atan2(x - 0.105, z), cx = x - 0.01, cy = y - 0.83;
  const crotch = bell(Math.hypot(cx, cy) - 0.12, 0.07) * ramp(0.0, 0.03, Math.abs(z)) * ramp(0.89, 0.83, y), knee = bell(y - 0.5, 0.07) * (0.6 - 0.4 * Math.cos(round)), heap = ramp(0.4, 0.2, y), thigh = bell(y - 0.69, 0.08);
  let out = 0;
  if (crotch > 0.01) out += crotch * 0.0046 * fold(Math.atan2(cy, cx) * 6, px, y, z, seed);
  if (thigh > 0.01) out += thigh * 0.0036 * fold(y * 44 + 2 * round, px, y, z, seed + 2);
  if (knee > 0.01) out += knee * 0.0064 * fold(y * 92 + 1.4 * Math.sin(round), px, y, z, seed + 4);
  if (heap > 0.01) out += heap * 0.0078 * fold(y * 96 + 2 * round, px, y, z, seed + 6);
  return out + 0.8 * crotch * 0.0046 + 0.7 * thigh * 0.0036 + 0.22 * (knee * 0.0064 + heap * 0.0078);
}
