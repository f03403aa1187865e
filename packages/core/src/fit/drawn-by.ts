import { TriangleTree } from '../geometry/index.ts';
import { type Drawn, type Mesh, pathThrough } from '../wrap/index.ts';
import type { Pin } from './pins.ts';
import { type FoundOn, type Placeable, type PlaceOn, whereOn } from './place-on.ts';

/** How far around a pin the surface goes along where nobody says: so many times the way, and at least, metres. */
const TIMES = 4;
const LEAST = 0.025;
/** Points of a curve less far from each other than this are one, metres. */
const CLOSE = 1e-6;

/** Where a pin draws which points to; null where a place of it isn't there. */
export function drawnBy(
  { of, to, around }: Pin,
  mesh: Mesh,
  surfaces: { new: Placeable; old: Placeable },
  outside: Pick<Mesh, 'places' | 'corners'>,
): Drawn[] | null {
  const from = found(surfaces.new, of),
    goals = found(surfaces.old, to);
  if (!from || !goals) return null;
  const points = from.map((one) => nearestPoint(one, surfaces.new.indices, mesh)),
    reach = (far: number) => (around === undefined ? Math.max(LEAST, TIMES * far) : around / 1000),
    here = (point: number, k: number) => mesh.places[point * 3 + k];
  if (from.length === 1) {
    // The point beside the place goes where the place goes, as far from it as it is.
    const goal = goals[0].at.map((x, k) => x + here(points[0], k) - from[0].at[k]) as unknown as Drawn['to'];
    return [{ point: points[0], to: goal, reach: reach(Math.hypot(...goal.map((x, k) => x - here(points[0], k)))) }];
  }
  const path = pathThrough(mesh, points);
  if (!path) return null;
  const own = alongOf(path.map((point) => [0, 1, 2].map((k) => here(point, k)))),
    line = goals.map(({ at }) => at),
    theirs = alongOf(line),
    tree = new TriangleTree(outside.places, outside.corners);
  const out = path.map((point, i) => ({ point, to: onto(tree, outside, placeAlong(line, theirs, own[i])) })),
    far = Math.max(...out.map(({ point, to: goal }) => Math.hypot(...goal.map((x, k) => x - here(point, k)))));
  return out.map((one) => ({ ...one, reach: reach(far) }));
}

function found(surface: Placeable, places: readonly PlaceOn[]): FoundOn[] | null {
  const all = places.map((place) => whereOn(surface, place));
  return all.every((one) => one !== null) ? (all as FoundOn[]) : null;
}

export const nearestPoint = ({ triangle, shares }: FoundOn, indices: Uint32Array, { pointOf }: Mesh): number =>
  pointOf[indices[triangle * 3 + shares.indexOf(Math.max(...shares))]];

/** How far along a line each of its nodes lies, 0 … 1. */
function alongOf(line: readonly (readonly number[])[]): number[] {
  const out = [0];
  for (let i = 1; i < line.length; i++) out.push(out[i - 1] + Math.hypot(...line[i].map((x, k) => x - line[i - 1][k])));
  const all = out[out.length - 1];
  return out.map((way) => (all > CLOSE ? way / all : 0));
}

function placeAlong(line: readonly (readonly number[])[], along: readonly number[], at: number): number[] {
  let i = 1;
  while (i < line.length - 1 && along[i] < at) i++;
  const length = along[i] - along[i - 1],
    t = length > 0 ? (at - along[i - 1]) / length : 0;
  return line[i].map((x, k) => line[i - 1][k] + (x - line[i - 1][k]) * t);
}

/** The closest place of a surface. */
function onto(tree: TriangleTree, { places, corners }: Pick<Mesh, 'places' | 'corners'>, at: number[]): Drawn['to'] {
  if (!Number.isFinite(tree.closest(at[0], at[1], at[2]))) return at as unknown as Drawn['to'];
  const { triangle, v, w } = tree.hit,
    shares = [1 - v - w, v, w];
  return [0, 1, 2].map((k) =>
    shares.reduce((sum, share, c) => sum + share * places[corners[triangle * 3 + c] * 3 + k], 0),
  ) as unknown as Drawn['to'];
}
