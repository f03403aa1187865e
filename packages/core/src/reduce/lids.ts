import type { Document, Primitive } from '@gltf-transform/core';
import { createDeformer, floatsOf, type Deformer, morphNamesOf, type Part, trianglesOf } from '../character/index.ts';
import { hangingTogether, weldByPlace } from '../geometry/index.ts';

/** The front half of an eyeball as it is seen from its middle: how far out it reaches in each direction. */
interface Eyeball {
  middle: [number, number, number];
  /** Largest distance from the middle, metres. */
  radius: number;
  /** Reach by direction, {@link GRID} a side, laid out by stereographic projection from behind; 0 where no vertex lies near. */
  reach: Float32Array;
}
const GRID = 40,
  /** Directions this far to the front are looked at: cosine from straight ahead. */
  FRONT = 0.2;
/** Field of a direction (not unit) in the front half; −1 behind. */
function fieldOf(x: number, y: number, z: number, length: number): number {
  if (z < FRONT * length || !length) return -1;
  const column = Math.floor((x / (length + z) / 2 + 0.5) * GRID),
    row = Math.floor((y / (length + z) / 2 + 0.5) * GRID);
  return column < 0 || row < 0 || column >= GRID || row >= GRID ? -1 : row * GRID + column;
}

/** Skin this near to an eyeball at rest, in shares of its radius, may come to lie over it. */
const LID = 2.5;
/** Left between lid and ball, metres: enough for a depth buffer. */
const CLEAR = 1.5e-4;
/** A place deeper in the ball than this at rest is the back of its socket, metres. */
const INSIDE = 5e-4;
/** Rounds in which a lid is lifted: lifting one triangle lifts its neighbours. */
const ROUNDS = 6;

/**
 * Lifts lids off the eyeballs that a coarser lid lets through: in each morph, whatever of a lid's triangles would dip into
 * the ball is moved outwards by what is missing. At rest nothing is moved, nor is a lid that lies inside already there.
 * @returns vertices of morphs that were lifted, and by how much at most, millimetres
 */
export function liftLids(document: Document): { vertices: number; mostMm: number } {
  const deformer = createDeformer(document, () => true, false),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    balls = eyeballs(deformer, rest),
    told = { vertices: 0, mostMm: 0 },
    seen = new Set<Primitive>();
  if (!balls.length) return told;
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    if (part.kind !== 'skin' || seen.has(part.prim) || !part.prim.listTargets().length) continue;
    seen.add(part.prim);
    const position = part.prim.getAttribute('POSITION');
    // Only where the mesh stands in the character as it is: elsewhere outwards is another direction in it.
    if (!position || !standsAlike(floatsOf(position), rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3)))
      continue;
    for (const ball of balls) liftPart(document, part, floatsOf(position), ball, told);
  }
  return told;
}

function standsAlike(own: Float32Array, there: Float32Array): boolean {
  for (let i = 0; i < own.length; i++) if (Math.abs(own[i] - there[i]) > 1e-5) return false;
  return true;
}

/** Pieces of eyes and corneas whose middles are one: a ball with its cornea. */
function eyeballs({ ranges }: Deformer, rest: Float32Array): Eyeball[] {
  const pieces = ranges
    .filter(({ part }) => part.kind === 'eye' || part.kind === 'cornea')
    .flatMap(({ part, firstVertex, vertices }) =>
      piecesOf(part, rest.subarray(firstVertex * 3, (firstVertex + vertices) * 3)),
    );
  const balls: number[][][] = [];
  for (const piece of pieces) {
    const like = balls.find((ball) => far(middleOf(ball.flat()), middleOf(piece)) < 0.5 * reachOf(piece));
    if (like) like.push(piece);
    else balls.push([piece]);
  }
  return balls.map((all) => {
    const largest = all.reduce((a, b) => (reachOf(b) > reachOf(a) ? b : a)),
      middle = middleOf(largest),
      points = all.flat(),
      reach = new Float32Array(GRID * GRID);
    let radius = 0;
    for (let v = 0; v < points.length; v += 3) {
      const [x, y, z] = [points[v] - middle[0], points[v + 1] - middle[1], points[v + 2] - middle[2]],
        r = Math.hypot(x, y, z),
        field = fieldOf(x, y, z, r);
      radius = Math.max(radius, r);
      // Of a ball and its cornea in one direction the outer one counts.
      if (field >= 0) reach[field] = Math.max(reach[field], r);
    }
    return { middle, radius, reach: filled(filled(filled(reach))) };
  });
}

/** Empty fields take the largest of those beside them. */
function filled(reach: Float32Array): Float32Array {
  return reach.map((value, i) => {
    if (value) return value;
    const [row, column] = [Math.floor(i / GRID), i % GRID];
    let most = 0;
    for (let r = Math.max(0, row - 1); r <= Math.min(GRID - 1, row + 1); r++)
      for (let c = Math.max(0, column - 1); c <= Math.min(GRID - 1, column + 1); c++)
        most = Math.max(most, reach[r * GRID + c]);
    return most;
  });
}

const far = (a: readonly number[], b: readonly number[]): number => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);
/** Middle of the box around points. */
function middleOf(points: readonly number[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    let low = Infinity,
      high = -Infinity;
    for (let i = k; i < points.length; i += 3) {
      low = Math.min(low, points[i]);
      high = Math.max(high, points[i]);
    }
    out[k] = (low + high) / 2;
  }
  return out;
}
const reachOf = (points: readonly number[]): number => {
  const middle = middleOf(points);
  let most = 0;
  for (let i = 0; i < points.length; i += 3) most = Math.max(most, far(points.slice(i, i + 3), middle));
  return most;
};

/** Points of each piece that hangs together. */
function piecesOf(part: Part, rest: Float32Array): number[][] {
  const { points, pointOf } = weldByPlace(rest),
    pieces = hangingTogether(trianglesOf(part.prim), pointOf, points),
    out = new Map<number, number[]>();
  for (let v = 0; v < pointOf.length; v++) {
    const list = out.get(pieces[v]) ?? [];
    list.push(rest[v * 3], rest[v * 3 + 1], rest[v * 3 + 2]);
    out.set(pieces[v], list);
  }
  return [...out.values()].filter((points) => points.length > 30);
}

/** Places of a triangle that are looked at: corners, middles of edges, the middle, and between it and the corners. */
const LOOKED: readonly (readonly [number, number, number])[] = [
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 1],
  [0.5, 0.5, 0],
  [0, 0.5, 0.5],
  [0.5, 0, 0.5],
  [1 / 3, 1 / 3, 1 / 3],
  [0.6, 0.2, 0.2],
  [0.2, 0.6, 0.2],
  [0.2, 0.2, 0.6],
];

function liftPart(
  document: Document,
  part: Part,
  rest: Float32Array,
  ball: Eyeball,
  told: { vertices: number; mostMm: number },
): void {
  const indices = trianglesOf(part.prim),
    lid: number[] = [];
  for (let t = 0; t + 2 < indices.length; t += 3)
    if (
      [0, 1, 2].some(
        (k) => far(rest.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3) as never, ball.middle) < LID * ball.radius,
      )
    )
      lid.push(t);
  if (!lid.length) return;
  // Vertices at one place are lifted as one, so that no seam opens.
  const { pointOf } = weldByPlace(rest),
    names = morphNamesOf(part.mesh);
  part.prim.listTargets().forEach((target, i) => {
    const accessor = target.getAttribute('POSITION');
    if (!accessor || !names[i]) return;
    const delta = floatsOf(accessor),
      lifted = delta.slice();
    if (
      !lid.some((t) =>
        [0, 1, 2].some(
          (k) => far(delta.subarray(indices[t + k] * 3, indices[t + k] * 3 + 3) as never, [0, 0, 0]) > 5e-4,
        ),
      )
    )
      return;
    const touched = new Set<number>();
    for (let round = 0; round < ROUNDS; round++) {
      const missing = missingAt(lid, indices, rest, lifted, pointOf, ball);
      if (!missing.size) break;
      for (let v = 0; v < pointOf.length; v++) {
        const by = missing.get(pointOf[v]);
        if (!by) continue;
        touched.add(v);
        for (let k = 0; k < 3; k++) lifted[v * 3 + k] += by[k];
      }
    }
    if (!touched.size) return;
    told.vertices += touched.size;
    for (const v of touched)
      told.mostMm = Math.max(
        told.mostMm,
        far(lifted.subarray(v * 3, v * 3 + 3) as never, delta.subarray(v * 3, v * 3 + 3) as never) * 1000,
      );
    target.setAttribute(
      'POSITION',
      document.createAccessor().setType('VEC3').setArray(lifted).setSparse(accessor.getSparse()),
    );
  });
}

/** For each point of a lid how far it has to be moved outwards, xyz; of several triangles that ask the most. */
function missingAt(
  lid: readonly number[],
  indices: Uint32Array,
  rest: Float32Array,
  delta: Float32Array,
  pointOf: Uint32Array,
  ball: Eyeball,
): Map<number, [number, number, number]> {
  const out = new Map<number, [number, number, number]>(),
    at: [number, number, number] = [0, 0, 0];
  for (const t of lid) {
    let most = 0,
      way: [number, number, number] | null = null,
      of = LOOKED[0];
    for (const shares of LOOKED) {
      const now = depthAt(ball, placeOf(at, t, shares, indices, rest, delta));
      if (now <= most) continue;
      const direction = [0, 1, 2].map((k) => at[k] - ball.middle[k]) as [number, number, number];
      // What lies inside at rest (the back of a socket) is no lid over the ball.
      if (depthAt(ball, placeOf([0, 0, 0], t, shares, indices, rest, null)) > INSIDE) continue;
      most = now;
      way = direction;
      of = shares;
    }
    if (!way) continue;
    const l = Math.hypot(...way) || 1,
      squares = of.reduce((sum, share) => sum + share * share, 0);
    // The smallest movement of the corners that brings the place out by what is missing.
    for (let k = 0; k < 3; k++) {
      const by = (most * of[k]) / squares,
        point = pointOf[indices[t + k]],
        before = out.get(point);
      if (!by || (before && Math.hypot(...before) >= by)) continue;
      out.set(point, [(way[0] / l) * by, (way[1] / l) * by, (way[2] / l) * by]);
    }
  }
  return out;
}

function placeOf(
  out: [number, number, number],
  t: number,
  shares: readonly [number, number, number],
  indices: Uint32Array,
  rest: Float32Array,
  delta: Float32Array | null,
): [number, number, number] {
  out.fill(0);
  for (let c = 0; c < 3; c++) {
    const v = indices[t + c] * 3;
    for (let k = 0; k < 3; k++) out[k] += shares[c] * (rest[v + k] + (delta ? delta[v + k] : 0));
  }
  return out;
}

/** How much a place lacks of lying clear of the ball, metres; nothing where it does, or where the ball has no vertex. */
function depthAt({ middle, radius, reach }: Eyeball, place: readonly number[]): number {
  const x = place[0] - middle[0],
    y = place[1] - middle[1],
    z = place[2] - middle[2],
    r = Math.hypot(x, y, z);
  if (r > radius + CLEAR || r < 0.5 * radius) return 0;
  const field = fieldOf(x, y, z, r),
    out = field < 0 ? 0 : reach[field];
  return out ? Math.max(0, out + CLEAR - r) : 0;
}
