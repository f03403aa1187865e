import type { Face } from './face.ts';
import { type Landmark, type Point, type Side, SIDES } from './landmark.ts';
import { Relief } from './relief.ts';

/** A cell of the relief of eyes and mouth, and of the ears' sides: shares of the height. */
const FINE = 0.0003;
const COARSE = 0.0012;
/** An eyeball is seen where nothing stands further off its middle than this, radii: lids lie further out. */
const BALL = 1.07;
/** How far to the sides of a mouth its ends are looked for, across how much a groove is deep, and how much of it is left at its end: shares of the height, and of its depth in the middle. */
const MOUTH = 0.026,
  ACROSS = 0.0022,
  LEFT = 0.1;
/** Columns without a groove after which a mouth has ended. */
const ENDED = 4;
/** Where ears are looked for: how far behind the eyes, and above them and below; how far one stands off the head at least: shares of the height. */
const EAR = { behind: [0.03, 0.085], above: 0.004, below: 0.045, off: 0.004 } as const;

/** Corners of eyes and mouth, and ears, of a head whose eyes, nose and chin are found. */
export function faceDetails(face: Face, positions: Float32Array, indices: Uint32Array, height: number): Landmark[] {
  return [
    ...SIDES.flatMap((side) => eyeCorners(face, side, positions, indices, height)),
    ...mouthCorners(face, positions, indices, height),
    ...SIDES.flatMap((side) => ear(face, side, positions, indices, height)),
  ];
}

/** Where the opening of the lids ends to either side: the outermost cells in which the eyeball is seen. */
function eyeCorners(face: Face, side: Side, positions: Float32Array, indices: Uint32Array, height: number): Landmark[] {
  const eye = face[side],
    radius = face.radius[side],
    relief = new Relief(
      positions,
      indices,
      { from: eye, forward: face.forward },
      { x: [-1.6 * radius, 1.6 * radius], y: [eye[1] - 0.7 * radius, eye[1] + 0.7 * radius] },
      FINE * height,
    ),
    isBall = (i: number, j: number): boolean => {
      if (i < 0 || j < 0 || i >= relief.wide || j >= relief.high) return false;
      const [x, y] = relief.middle(i, j),
        out = relief.at(x, y);
      return out > 0 && Math.sqrt(x * x + (y - eye[1]) ** 2 + out * out) < BALL * radius;
    };
  let ends: [number, number, number, number] | null = null;
  for (let i = 0; i < relief.wide; i++)
    for (let j = 0; j < relief.high; j++) {
      // One cell alone is a gap between two triangles.
      if (!isBall(i, j) || !(isBall(i - 1, j) || isBall(i + 1, j)) || !(isBall(i, j - 1) || isBall(i, j + 1))) continue;
      ends = ends ? [ends[0], ends[1], i, j] : [i, j, i, j];
    }
  // A lid that is closed shows no ball; one that shows half of it or less isn't open.
  if (!ends || (ends[2] - ends[0]) * relief.cell < radius) return [];
  const at = (i: number, j: number): Point => {
      const [x, y] = relief.middle(i, j);
      return relief.place(x, y, relief.at(x, y));
    },
    outer = side === 'left' ? at(ends[2], ends[3]) : at(ends[0], ends[1]),
    inner = side === 'left' ? at(ends[0], ends[1]) : at(ends[2], ends[3]);
  return [
    { name: `${side} eye inner corner`, at: inner, confidence: 0.7 },
    { name: `${side} eye outer corner`, at: outer, confidence: 0.7 },
  ];
}

/** Where the groove between the lips ends to either side. */
function mouthCorners(face: Face, positions: Float32Array, indices: Uint32Array, height: number): Landmark[] {
  const { nose, chin, left, right, forward } = face;
  if (!nose || !chin) return [];
  const from: Point = [(left[0] + right[0]) / 2, 0, (left[2] + right[2]) / 2],
    [low, top] = [chin[1] + 0.25 * (nose[1] - chin[1]), chin[1] + 0.8 * (nose[1] - chin[1])],
    reach = ACROSS * height,
    relief = new Relief(
      positions,
      indices,
      { from, forward },
      { x: [-MOUTH * height, MOUTH * height], y: [low - reach, top + reach] },
      FINE * height,
    ),
    { cell } = relief,
    groove = (x: number, y: number): number => {
      const depth = (relief.at(x, y + reach) + relief.at(x, y - reach)) / 2 - relief.at(x, y);
      return Number.isFinite(depth) ? depth : -Infinity;
    };
  let middle = 0,
    deepest = 0;
  for (let y = low; y < top; y += cell) {
    let sum = 0;
    for (let c = -4; c <= 4; c++) sum += Math.max(0, groove(c * cell, y)) / 9;
    if (sum > deepest) [middle, deepest] = [y, sum];
  }
  if (!(deepest > 0)) return [];
  const end = (towards: 1 | -1): Point | null => {
    let y = middle,
      last: [number, number] = [0, middle],
      without = 0;
    for (let x = 0; Math.abs(x) < MOUTH * height && without < ENDED; x += towards * cell) {
      let best = -Infinity,
        at = y;
      for (let d = -3; d <= 3; d++) {
        const depth = groove(x, y + d * cell);
        if (depth > best) [best, at] = [depth, y + d * cell];
      }
      if (best < LEFT * deepest) {
        without++;
        continue;
      }
      without = 0;
      y = at;
      last = [x, y];
    }
    const out = relief.at(last[0], last[1]);
    return last[0] !== 0 && Number.isFinite(out) ? relief.place(last[0], last[1], out) : null;
  };
  // To the left of who is looked at is +X.
  return ([1, -1] as const).flatMap((towards) => {
    const at = end(towards);
    return at ? [{ name: `${towards > 0 ? 'left' : 'right'} mouth corner`, at, confidence: 0.6 }] : [];
  });
}

/** What stands off a side of the head, behind the eyes and about as high as they and the nose; nothing under a hood. */
function ear(face: Face, side: Side, positions: Float32Array, indices: Uint32Array, height: number): Landmark[] {
  const { left, right, forward: f } = face,
    middle: Point = [(left[0] + right[0]) / 2, (left[1] + right[1]) / 2, (left[2] + right[2]) / 2],
    s = side === 'left' ? 1 : -1,
    out: Point = [s * f[2], 0, -s * f[0]],
    // Seen from the side, what lies behind is to its left or right.
    behind = (x: number) => s * x,
    relief = new Relief(
      positions,
      indices,
      { from: middle, forward: out },
      { x: [-0.1 * height, 0.1 * height], y: [middle[1] - EAR.below * height, middle[1] + EAR.above * height] },
      COARSE * height,
    );
  let best: [number, number, number] | null = null;
  for (let i = 0; i < relief.wide; i++)
    for (let j = 0; j < relief.high; j++) {
      const [x, y] = relief.middle(i, j),
        far = behind(x) / height,
        stands = relief.at(x, y);
      if (far < EAR.behind[0] || far > EAR.behind[1] || stands < 0) continue;
      if (!best || stands > best[2]) best = [x, y, stands];
    }
  if (!best) return [];
  const [x, y, stands] = best,
    before = relief.at(x - (x > 0 ? 1 : -1) * 0.02 * height, y);
  if (!(stands - before > EAR.off * height)) return [];
  return [{ name: `${side} ear`, at: relief.place(x, y, stands), confidence: 0.6 }];
}
