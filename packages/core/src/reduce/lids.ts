import type { Document, Primitive } from '@gltf-transform/core';
import {
  createDeformer,
  depthAt,
  type Eyeball,
  eyeballs,
  far,
  floatsOf,
  standsOff,
  trianglesOf,
} from '../character/index.ts';
import { weldByPlace } from '../geometry/index.ts';
import { LOOKED, type Shares } from './places.ts';

type Point = [number, number, number];

/** Skin this near to an eyeball at rest, in shares of its radius, may come to lie over it. */
const NEAR = 2.5;
/** A morph that moves less than this there is none of the lids', metres. */
const STILL = 5e-4;
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
    const { prim } = part,
      position = prim.getAttribute('POSITION');
    if (part.kind !== 'skin' || seen.has(prim) || !position) continue;
    seen.add(prim);
    const own = floatsOf(position);
    const there = rest.slice(firstVertex * 3, (firstVertex + vertices) * 3);
    if (!standsOff(own, there)) continue;
    for (const ball of balls) {
      const lid = lidOver(ball, prim, there);
      if (lid.triangles.length) liftMorphs(document, prim, lid, ball, told);
    }
  }
  return told;
}

/** What of a part may come to lie over an eyeball. */
interface Lid {
  rest: Float32Array;
  /** Corners of its triangles, three each. */
  triangles: Uint32Array;
  /** Vertices at one place have one number: they are lifted as one, so that no seam opens. */
  pointOf: Uint32Array;
}

function lidOver(ball: Eyeball, prim: Primitive, rest: Float32Array): Lid {
  const indices = trianglesOf(prim),
    triangles: number[] = [],
    isNear = (v: number) => far(rest.subarray(v * 3, v * 3 + 3), ball.middle) < NEAR * ball.radius;
  for (let t = 0; t + 2 < indices.length; t += 3)
    if (isNear(indices[t]) || isNear(indices[t + 1]) || isNear(indices[t + 2]))
      triangles.push(indices[t], indices[t + 1], indices[t + 2]);
  return { rest, triangles: Uint32Array.from(triangles), pointOf: weldByPlace(rest).pointOf };
}

function liftMorphs(
  document: Document,
  prim: Primitive,
  lid: Lid,
  ball: Eyeball,
  told: { vertices: number; mostMm: number },
): void {
  for (const target of prim.listTargets()) {
    const accessor = target.getAttribute('POSITION'),
      delta = accessor && floatsOf(accessor);
    if (!delta || !lid.triangles.some((v) => far(delta.subarray(v * 3, v * 3 + 3), [0, 0, 0]) > STILL)) continue;
    const lifted = delta.slice(),
      touched = new Set<number>();
    for (let round = 0; round < ROUNDS; round++) {
      const missing = missingAt(lid, lifted, ball);
      if (!missing.size) break;
      lid.pointOf.forEach((point, v) => {
        const by = missing.get(point);
        if (!by) return;
        touched.add(v);
        for (let k = 0; k < 3; k++) lifted[v * 3 + k] += by[k];
      });
    }
    if (!touched.size) continue;
    told.vertices += touched.size;
    for (const v of touched) {
      const mm = far(lifted.subarray(v * 3, v * 3 + 3), delta.subarray(v * 3, v * 3 + 3)) * 1000;
      told.mostMm = Math.max(told.mostMm, mm);
    }
    target.setAttribute(
      'POSITION',
      document.createAccessor().setType('VEC3').setArray(lifted).setSparse(accessor.getSparse()),
    );
  }
}

/** For each point of a lid how far it has to be moved outwards; of several triangles that ask the most. */
function missingAt(lid: Lid, delta: Float32Array, ball: Eyeball): Map<number, Point> {
  const out = new Map<number, Point>();
  for (let t = 0; t < lid.triangles.length; t += 3) {
    const deepest = deepestOf(lid, t, delta, ball);
    if (!deepest) continue;
    const { depth, shares, at } = deepest,
      way = [0, 1, 2].map((k) => at[k] - ball.middle[k]),
      length = Math.hypot(...way) || 1,
      squares = shares.reduce((sum, share) => sum + share * share, 0);
    // The smallest movement of the corners that brings the place out by what is missing.
    shares.forEach((share, c) => {
      const by = (depth * share) / squares,
        point = lid.pointOf[lid.triangles[t + c]],
        before = out.get(point);
      if (by > (before ? Math.hypot(...before) : 0)) out.set(point, way.map((x) => (x / length) * by) as Point);
    });
  }
  return out;
}

/** The place of a triangle that lies deepest in the ball, of those that are clear of it at rest; null where none does. */
function deepestOf(lid: Lid, t: number, delta: Float32Array, ball: Eyeball) {
  let found: { depth: number; shares: Shares; at: Point } | null = null;
  for (const shares of LOOKED) {
    const at = placeOf(lid, t, shares, delta),
      depth = depthAt(ball, at);
    if (depth <= (found?.depth ?? 0) || depthAt(ball, placeOf(lid, t, shares, null)) > INSIDE) continue;
    found = { depth, shares, at };
  }
  return found;
}

function placeOf({ rest, triangles }: Lid, t: number, shares: Shares, delta: Float32Array | null): Point {
  const out: Point = [0, 0, 0];
  for (let c = 0; c < 3; c++) {
    const v = triangles[t + c] * 3;
    for (let k = 0; k < 3; k++) out[k] += shares[c] * (rest[v + k] + (delta ? delta[v + k] : 0));
  }
  return out;
}
