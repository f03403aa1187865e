import { floatsOf, type Part } from '../character/index.ts';
import { apart } from '../geometry/index.ts';

/** Nearer than this to the line between them, which lip a place is of shows along the surface only, metres for an adult. */
const RIM = 0.005;
/** Lips that meet lie this near to each other, and this far from where proportion puts the mouth at most. */
const CONTACT = 0.002,
  AROUND = 0.018;
/** Half a mouth's width where it isn't found; from this share of it on both lips draw together, and beside it cheeks go along over this height. */
const HALF_WIDTH = 0.025,
  CORNER = 0.55,
  CHEEK = 0.012;

/** A body as it stands, with what each part of it is; `first`: the first vertex at the place of each. */
export interface Face {
  positions: Float32Array;
  indices: Uint32Array;
  normals: Float32Array;
  first: Uint32Array;
  ranges: readonly { part: Part; first: number; count: number }[];
}

/** Height of the line between the lips, and how far its corners lie from the middle. */
export interface Mouth {
  height: number;
  corner: number;
}

/**
 * Finds the mouth: between the teeth where there are both rows, else where lips that meet face each other, else by
 * proportion; its corners where the lips' meeting ends.
 * @param eyeHeight of the eyes' middle
 * @param k size against an adult of 1.75 m
 */
export function findMouth(face: Face, eyeHeight: number, k: number): Mouth {
  const byProportion = eyeHeight - 0.069 * k,
    upper = teeth(face, /upper|ober|superior|top/i)?.low,
    lower = teeth(face, /lower|unter|inferior|bottom/i)?.high,
    lips = contactOfLips(face, byProportion, k);
  const between = upper !== undefined && lower !== undefined ? (upper + lower) / 2 : undefined;
  return {
    height:
      between !== undefined && Math.abs(between - byProportion) < AROUND * k ? between : (lips?.height ?? byProportion),
    corner: lips?.corner ?? HALF_WIDTH * k,
  };
}

/**
 * How far each vertex goes with the lower jaw, 0 … 1: whole below the lips and not at all above them; towards and
 * beyond the corners less and less apart.
 */
export function jawShares(face: Face, mouth: Mouth, k: number): Float32Array {
  const { positions } = face,
    out = lowerLip(face, mouth.height, k);
  for (let v = 0; v < out.length; v++) {
    const above = positions[v * 3 + 1] - mouth.height,
      aside = Math.max(0, Math.min(1, (Math.abs(positions[v * 3]) / mouth.corner - CORNER) / (1 - CORNER)));
    const cheek = Math.max(0, Math.min(1, 0.5 - above / (2 * CHEEK * k)));
    out[v] = (1 - aside) * out[v] + aside * cheek;
  }
  return out;
}

/** 1 for what is below the mouth, 0 for what is above it; between, whichever is nearer along the surface: rims roll over the line and over each other. */
function lowerLip({ positions, indices, first }: Face, height: number, k: number): Float32Array {
  const count = positions.length / 3,
    out = new Float32Array(count),
    up = new Float32Array(count).fill(Infinity),
    down = new Float32Array(count).fill(Infinity),
    edges: number[] = [];
  const above = (v: number) => positions[v * 3 + 1] - height,
    onRim = (v: number) => Math.abs(above(v)) < RIM * k;
  for (let v = 0; v < count; v++) {
    out[v] = above(v) < 0 ? 1 : 0;
    if (!onRim(v)) (out[v] ? down : up)[v] = 0;
  }
  for (let t = 0; t < indices.length; t += 3)
    for (let e = 0; e < 3; e++) {
      const a = first[indices[t + e]],
        b = first[indices[t + ((e + 1) % 3)]];
      if (onRim(a) || onRim(b)) edges.push(a, b);
    }
  for (const far of [up, down])
    for (let moved = true, round = 0; moved && round < 200; round++) {
      moved = false;
      for (let e = 0; e < edges.length; e += 2) {
        const a = edges[e],
          b = edges[e + 1],
          d = apart(positions, a, b);
        if (far[b] + d < far[a] && onRim(a)) {
          far[a] = far[b] + d;
          moved = true;
        } else if (far[a] + d < far[b] && onRim(b)) {
          far[b] = far[a] + d;
          moved = true;
        }
      }
    }
  for (let v = 0; v < count; v++) {
    const at = first[v];
    if (onRim(v) && up[at] !== down[at]) out[v] = down[at] < up[at] ? 1 : 0;
  }
  return out;
}

function teeth({ ranges }: Face, side: RegExp): { low: number; high: number } | null {
  let low = Infinity,
    high = -Infinity;
  for (const { part } of ranges) {
    const position = part.prim.getAttribute('POSITION');
    if (part.kind !== 'teeth' || !side.test(part.name) || /gum|zahnfleisch|gingiva/i.test(part.name) || !position)
      continue;
    const points = floatsOf(position);
    for (let i = 1; i < points.length; i += 3) {
      low = Math.min(low, points[i]);
      high = Math.max(high, points[i]);
    }
  }
  return low <= high ? { low, high } : null;
}

/** Where what faces down lies on what faces up at the front of the face: middle height, and how far out it reaches; null where nothing does. */
function contactOfLips(face: Face, near: number, k: number): Mouth | null {
  const { positions } = face,
    { down, up } = lipsOf(face, near, k),
    heights: number[] = [],
    out: number[] = [],
    // Only those in the same thin slice from side to side can touch.
    slice = (v: number) => Math.floor(positions[v * 3] / (CONTACT * k)),
    slices = new Map<number, number[]>();
  for (const v of up) slices.set(slice(v), [...(slices.get(slice(v)) ?? []), v]);
  for (const a of down) {
    let best = CONTACT * k,
      height: number | null = null;
    for (const beside of [-1, 0, 1])
      for (const b of slices.get(slice(a) + beside) ?? []) {
        const d = apart(positions, a, b);
        if (d >= best) continue;
        best = d;
        height = (positions[a * 3 + 1] + positions[b * 3 + 1]) / 2;
      }
    if (height === null) continue;
    heights.push(height);
    out.push(Math.abs(positions[a * 3]));
  }
  const ranked = (list: number[], share: number) =>
    list.sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(list.length * share))];
  return heights.length > 3
    ? { height: ranked(heights, 0.5), corner: Math.max(0.6 * HALF_WIDTH * k, ranked(out, 0.98)) }
    : null;
}

/** Vertices about the mouth that face down, and that face up; what lies deeper is the inside of the mouth. */
function lipsOf({ positions, normals, ranges }: Face, near: number, k: number): { down: number[]; up: number[] } {
  const around: number[] = [];
  for (const { part, first, count } of ranges) {
    if (part.kind !== 'skin' && part.kind !== 'lips' && part.kind !== 'other') continue;
    for (let v = first; v < first + count; v++)
      if (Math.abs(positions[v * 3]) <= 2 * HALF_WIDTH * k && Math.abs(positions[v * 3 + 1] - near) <= AROUND * k)
        around.push(v);
  }
  const front = around.reduce((most, v) => Math.max(most, positions[v * 3 + 2]), -Infinity),
    lips = around.filter((v) => positions[v * 3 + 2] > front - 0.025 * k);
  return {
    down: lips.filter((v) => normals[v * 3 + 1] < -0.5),
    up: lips.filter((v) => normals[v * 3 + 1] > 0.5),
  };
}
