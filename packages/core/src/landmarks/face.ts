import { far } from '../character/index.ts';
import { hangingTogether } from '../geometry/index.ts';
import { between, type Landmark, type Point, type Side } from './landmark.ts';
import { Relief } from './relief.ts';
import type { Standing } from './standing.ts';

/** Shares of the height: where the head begins, half the breadth that is looked at, and a cell of the picture of it. */
const HEAD_FROM = 0.83,
  HALF = 0.1,
  CELL = 0.0012;
/** An eyeball's radius, and how far apart two of them stand. */
const EYE = [0.0045, 0.0105] as const,
  APART = [0.027, 0.048] as const,
  USUAL = { radius: 0.0072, apart: 0.036 };
/** How far a piece may be from round, share of its radius. */
const ROUND = 0.14;
/** How far the nose stands out from what lies so far to its sides. */
const BESIDE = 0.014;

interface Ball {
  centre: Point;
  radius: number;
  off: number;
}

export interface Face {
  /** Centres of the eyes. */
  left: Point;
  right: Point;
  /** Of the eyeballs, metres. */
  radius: Record<Side, number>;
  /** Which way the face looks, level. */
  forward: Point;
  nose: Point | null;
  chin: Point | null;
}

/**
 * Eyes, tip of the nose and chin of a head that looks forward or nearly so. Eyes are two round pieces of an eyeball's
 * size, level and as far apart as eyes are; where there are none, nothing is said of the face.
 * @param positions of welded vertices
 */
export function findFace(standing: Standing, positions: Float32Array, indices: Uint32Array): Face | null {
  const { height, floor } = standing,
    from = floor + HEAD_FROM * height,
    eyes = eyesOf(ballsOf(positions, indices, from, height), height);
  if (!eyes) return null;
  const [{ centre: left }, { centre: right }] = eyes,
    radius = { left: eyes[0].radius, right: eyes[1].radius },
    // Across the line of the eyes.
    wide = Math.sqrt((left[0] - right[0]) ** 2 + (left[2] - right[2]) ** 2),
    forward: Point = [-(left[2] - right[2]) / wide, 0, (left[0] - right[0]) / wide],
    front = new Front(positions, indices, between(left, right, 0.5), forward, from, height),
    nose = front.nose();
  return { left, right, radius, forward, nose, chin: nose && front.chin() };
}

export function faceLandmarks(face: Face | null): Landmark[] {
  if (!face) return [];
  const out: Landmark[] = [
    { name: 'left eye', at: face.left, confidence: 0.9 },
    { name: 'right eye', at: face.right, confidence: 0.9 },
  ];
  if (face.nose) out.push({ name: 'nose', at: face.nose, confidence: 0.85 });
  if (face.chin) out.push({ name: 'chin', at: face.chin, confidence: 0.75 });
  return out;
}

/** Loose pieces of an eyeball's size that are round from the front. */
function ballsOf(positions: Float32Array, indices: Uint32Array, from: number, height: number): Ball[] {
  const count = positions.length / 3,
    piece = hangingTogether(
      indices,
      Uint32Array.from({ length: count }, (_, v) => v),
      count,
    );
  const pieces = new Map<number, number[]>();
  for (let v = 0; v < count; v++) {
    if (positions[v * 3 + 1] < from) continue;
    const list = pieces.get(piece[v]);
    if (list) list.push(v);
    else pieces.set(piece[v], [v]);
  }
  const out: Ball[] = [];
  for (const list of pieces.values()) {
    if (list.length < 12) continue;
    const low: Point = [Infinity, Infinity, Infinity],
      high: Point = [-Infinity, -Infinity, -Infinity];
    for (const v of list)
      for (let k = 0; k < 3; k++) {
        low[k] = Math.min(low[k], positions[v * 3 + k]);
        high[k] = Math.max(high[k], positions[v * 3 + k]);
      }
    const [w, h, d] = [0, 1, 2].map((k) => high[k] - low[k]),
      radius = (w + h) / 4;
    if (radius < EYE[0] * height || radius > EYE[1] * height) continue;
    if (Math.max(w, h) > 1.25 * Math.min(w, h) || d < 0.35 * w || d > 1.3 * w) continue;
    const centre: Point = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, high[2] - radius];
    let off = 0;
    for (const v of list)
      off += Math.abs(far(positions.subarray(v * 3, v * 3 + 3), centre) - radius) / radius / list.length;
    if (off < ROUND) out.push({ centre, radius, off });
  }
  return out;
}

/** The two of them that are most like a pair of eyes, left first. */
function eyesOf(balls: readonly Ball[], height: number): [Ball, Ball] | null {
  let best: [Ball, Ball] | null = null,
    least = Infinity;
  for (const a of balls)
    for (const b of balls) {
      const apart = far(a.centre, b.centre) / height;
      if (a.centre[0] <= b.centre[0] || apart < APART[0] || apart > APART[1]) continue;
      if (Math.abs(a.centre[1] - b.centre[1]) > 0.008 * height) continue;
      if (Math.abs(a.radius - b.radius) > 0.15 * a.radius) continue;
      const cost = a.off + b.off + 4 * Math.abs(apart - USUAL.apart) + 50 * Math.abs(a.radius / height - USUAL.radius);
      if (cost < least) {
        least = cost;
        best = [a, b];
      }
    }
  return best;
}

/** A head as it is seen from in front. */
class Front {
  private readonly cell: number;
  private readonly relief: Relief;

  constructor(
    positions: Float32Array,
    indices: Uint32Array,
    private readonly eyes: Point,
    forward: Point,
    from: number,
    private readonly height: number,
  ) {
    this.cell = CELL * height;
    this.relief = new Relief(
      positions,
      indices,
      { from: eyes, forward },
      { x: [-HALF * height, HALF * height], y: [from, from + (1.02 - HEAD_FROM) * height] },
      this.cell,
    );
  }

  private at(x: number, y: number): number {
    return this.relief.at(x, y);
  }

  /** What stands out farthest, and from what lies beside it, under the eyes. */
  nose(): Point | null {
    const { height: h, cell } = this;
    let best: Point | null = null,
      most = -Infinity;
    for (let y = this.eyes[1] - 0.045 * h; y < this.eyes[1] - 0.008 * h; y += cell)
      for (let x = -0.014 * h; x < 0.014 * h; x += cell) {
        const d = this.at(x, y),
          sides = [this.at(x - BESIDE * h, y), this.at(x + BESIDE * h, y)];
        if (d === -Infinity || sides.includes(-Infinity)) continue;
        const stands = d + 0.8 * Math.min(d - sides[0], d - sides[1], 0.02 * h);
        if (stands > most) {
          most = stands;
          best = this.relief.place(x, y, d);
        }
      }
    return best;
  }

  /** Down the profile from under the mouth, the last place that stands forward before it falls back to the throat. */
  chin(): Point | null {
    const { height: h, cell } = this,
      profile: [y: number, out: number][] = [];
    for (let y = this.eyes[1] - 0.045 * h; y > this.eyes[1] - 0.088 * h; y -= cell) {
      let d = -Infinity;
      for (let x = -0.006 * h; x <= 0.006 * h; x += cell) d = Math.max(d, this.at(x, y));
      if (d > -Infinity) profile.push([y, d]);
    }
    let best: Point | null = null,
      most = -Infinity;
    for (let i = 3; i < profile.length - 8; i++) {
      const below = profile[Math.min(profile.length - 1, i + 12)],
        here = profile[i][1] - below[1] + 0.5 * profile[i][1];
      if (here > most) {
        most = here;
        best = this.relief.place(0, profile[i][0], profile[i][1]);
      }
    }
    return best;
  }
}
