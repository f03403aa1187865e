import { bell, step } from '../head/curves.ts';
import { noise } from '../paint/noise.ts';

/** Rounded above, narrow below, as cloth lies: −1 … 1 over one turn of `phase`. */
const ridge = (phase: number): number => 1 - 2 * Math.abs(Math.cos(phase / 2)) ** 1.4;

/**
 * Folds at a place, metres outwards: waves along `phase` (one fold every 2π) that run askew, split and fade as noise has
 * it, so that no two sleeves are alike and nothing goes round like a tyre.
 * @param share how much of them there is here, 0 … 1 @param high of a ridge, metres @param lift share of it by which all rises, so that what lies below stays below @param seed sets them apart from others
 */
function folds(
  share: number,
  high: number,
  lift: number,
  phase: number,
  x: number,
  y: number,
  z: number,
  seed: number,
): number {
  if (share <= 0.01) return 0;
  const askew = noise(x * 8 + seed, y * 8, z * 8) - 0.5,
    strength = step(0.22, 0.72, noise(x * 11, y * 11 + seed, z * 11));
  return share * high * (1.25 * ridge(phase + 9 * askew) * strength + lift);
}

/**
 * Folds of a sleeve: drawn askew below the shoulder, gathered in the crook of the elbow, pushed up above the cuff. Metres outwards.
 * @param s place along the arm, 0 at the shoulder, 1 at the wrist @param across from the arm's line in the frontal plane @param depth from it forward
 */
export function sleeveFolds(
  px: number,
  y: number,
  z: number,
  s: number,
  across: number,
  depth: number,
  seed: number,
): number {
  if (s < 0.04 || s > 0.95) return 0;
  const round = Math.atan2(across, depth),
    crook = 0.55 + 0.45 * Math.cos(round);
  return (
    folds(step(0.06, 0.16, s) * step(0.42, 0.3, s), 0.0042, 0.7, s * 40 + 2 * round, px, y, z, seed) +
    folds(bell(s - 0.51, 0.11) * crook, 0.0068, 0.25, s * 62 + 1.2 * Math.cos(round), px, y, z, seed + 3) +
    folds(step(0.66, 0.8, s) * step(0.91, 0.885, s), 0.0062, 0.25, s * 66 + round, px, y, z, seed + 5)
  );
}

/** Folds of what hangs from the shoulders: falling from the armpits, pushed together at the waist, hanging at the hem. Metres outwards. */
export function trunkFolds(px: number, y: number, z: number, seed: number): number {
  const ax = Math.abs(px) - 0.178,
    ay = y - 1.345;
  return (
    folds(
      bell(Math.hypot(ax, ay) - 0.085, 0.05) * step(0.02, 0.06, Math.abs(z)) * step(1.44, 1.38, y),
      0.0046,
      0.5,
      Math.atan2(ay, ax) * 7,
      px,
      y,
      z,
      seed,
    ) +
    folds(bell(y - 1.1, 0.07), 0.005, 0.5, y * 76 + 2.5 * Math.sin(px * 9) + (z > 0 ? 0 : 2), px, y, z, seed + 7) +
    folds(step(1.06, 0.89, y), 0.0058, 1.3, Math.atan2(px, z) * 8 + y * 9, px, y, z, seed + 11)
  );
}

/** Folds of a trouser leg: fanning out from the crotch, drawn over the thigh, behind the knee, heaped up where the leg meets the boot. Metres outwards. */
export function legFolds(px: number, y: number, z: number, seed: number): number {
  const x = Math.abs(px),
    round = Math.atan2(x - 0.105, z),
    cx = x - 0.01,
    cy = y - 0.83;
  return (
    folds(
      bell(Math.hypot(cx, cy) - 0.12, 0.07) * step(0, 0.03, Math.abs(z)) * step(0.89, 0.83, y),
      0.0046,
      0.8,
      Math.atan2(cy, cx) * 6,
      px,
      y,
      z,
      seed,
    ) +
    folds(bell(y - 0.69, 0.08), 0.0036, 0.7, y * 44 + 2 * round, px, y, z, seed + 2) +
    folds(
      bell(y - 0.5, 0.07) * (0.6 - 0.4 * Math.cos(round)),
      0.0064,
      0.22,
      y * 92 + 1.4 * Math.sin(round),
      px,
      y,
      z,
      seed + 4,
    ) +
    folds(step(0.4, 0.2, y), 0.0078, 0.22, y * 96 + 2 * round, px, y, z, seed + 6)
  );
}
