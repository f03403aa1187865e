import type { Document } from '@gltf-transform/core';
import { floatsOf } from '../character/index.ts';
import {
  beyondReach,
  type Correspondence,
  correspond,
  type Drawn,
  drawTo,
  FULL,
  insideOf,
  leftAlone,
  type Mesh,
  meshOf,
  outsideOf,
  overEdges,
  register,
  type Skin,
  skinOf,
  skinOpenness,
  surfaceFit,
  type SurfaceFit,
  trustOf,
  type Wrapped,
} from '../wrap/index.ts';
import type { LeftRegion, Pin } from './pins.ts';
import { drawnBy, nearestPoint } from './drawn-by.ts';
import { laidPart } from './lay-body.ts';
import { placeableOf } from './placeable-skin.ts';
import { type Placeable, whereOn } from './place-on.ts';
import { FROM_SHARES, FROM_TRIANGLE, OWN_PLACE, type Replaced, replacedIn } from './replaced.ts';
import { shadingNormals } from './shading-normals.ts';

/** The wrap goes on with what is left of its stiffness: points no longer slide far. */
const ONWARD = { ...FULL, alphas: [1, 0.3, 0.1], reach: [0.006, 0.006] as const };
export interface Pinned {
  /** Pins and regions, by their numbers, that have a place which isn't there. */
  lost: { pins: number[]; leave: number[] };
  /** How far pinned places are from where they belong, RMS in metres. */
  before: number;
  after: number;
  fit: SurfaceFit;
}

/**
 * A laid skin whose places are still on what it replaced goes on from where it lies: pinned places are drawn to where they
 * belong, all of it settles on the old surface again, and regions left alone take back their own shape.
 * @returns null where nothing is laid
 */
export function pinLaid(
  document: Document,
  { pins, leave }: { pins: readonly Pin[]; leave: readonly LeftRegion[] },
  { stop, after }: { stop?: () => void; after?: (done: number) => void } = {},
): Pinned | null {
  const replaced = replacedIn(document);
  if (!replaced) return null;
  const body = skinOf(document),
    { mesh } = body,
    old = meshOf(replaced.positions, replaced.indices),
    openness = skinOpenness(body, stop),
    open = skinOpenness({ mesh: old, inside: insideOf(document) }, stop),
    trust = openness.map(trustOf),
    outside = outsideOf(old, open),
    lost: Pinned['lost'] = { pins: [], leave: [] },
    surfaces = { new: placeableOf(body.deformer, body.rest), old: placeableReplaced(replaced) },
    drawn: Drawn[] = [];
  pins.forEach((pin, number) => {
    const own = drawnBy(pin, mesh, surfaces, outside);
    if (own) for (const one of own) if (!drawn.some(({ point }) => point === one.point)) drawn.push(one);
    if (!own) lost.pins.push(number);
  });
  const settled = drawn.length
    ? settledFrom(mesh, drawn, trust, outside, { stop, after })
    : Float32Array.from(mesh.places);
  const region = new Uint8Array(mesh.points);
  leave.forEach((one, number) => {
    if (!addRegion(region, one, body, surfaces.new)) lost.leave.push(number);
  });
  const own = ownPlaces(body),
    places = own && region.some(Boolean) ? leftAlone(mesh, own, settled, region) : settled,
    believed = trust.map((one, p) => (region[p] ? 0 : one)),
    at = correspond(mesh, places, believed, old),
    wrapped = { places, aligned: mesh.places, trust: believed, open, curves: { both: [], alone: [] } },
    normals = shadingNormals(body, wrapped, { mesh: old }, at, replaced);
  layAgain(body, wrapped, normals, old, at);
  const off = (now: Float32Array) =>
    Math.sqrt(
      drawn.reduce((sum, { point, to }) => sum + to.reduce((s, x, k) => s + (x - now[point * 3 + k]) ** 2, 0), 0) /
        Math.max(1, drawn.length),
    );
  return { lost, before: off(mesh.places), after: off(places), fit: surfaceFit(mesh, wrapped, old) };
}

/** Marks the points of a region; false where its middle isn't there. */
function addRegion(
  region: Uint8Array,
  { at, around }: LeftRegion,
  { mesh, deformer }: Skin,
  surface: Placeable,
): boolean {
  const found = whereOn(surface, at);
  if (!found) return false;
  overEdges(mesh, [nearestPoint(found, deformer.indices, mesh)], around / 1000).far.forEach((way, p) => {
    if (Number.isFinite(way)) region[p] = 1;
  });
  return true;
}

/** Pinned places drawn to where they belong, and what is around them settled on the surface again; all else stays where it is. */
function settledFrom(
  mesh: Mesh,
  drawn: readonly Drawn[],
  trust: Float32Array,
  outside: ReturnType<typeof outsideOf>,
  options: { stop?: () => void; after?: (done: number) => void },
): Float32Array {
  const moved = drawTo(mesh, mesh.places, drawn),
    placeOf = (p: number): Drawn['to'] => [mesh.places[p * 3], mesh.places[p * 3 + 1], mesh.places[p * 3 + 2]],
    still = beyondReach(mesh, mesh.places, drawn),
    held = [...still.map((point) => ({ point, to: placeOf(point) })), ...drawn].map((one) => ({ ...one, firm: true })),
    out = register({ ...mesh, places: moved }, trust, outside, held, { settings: ONWARD, ...options });
  for (const p of still) out.set(placeOf(p), p * 3);
  return out;
}

const placeableReplaced = ({ positions, indices, parts }: Replaced): Placeable => ({
  positions,
  indices,
  parts: parts.map(({ name, mesh, firstVertex, firstTriangle, triangles }) => {
    const uv = mesh.listPrimitives()[0].getAttribute('TEXCOORD_0');
    return { name, firstVertex, firstTriangle, triangles, uv: uv && floatsOf(uv) };
  }),
});

/** Where points would lie by themselves, limbs alone laid on limbs; null where it wasn't kept. */
function ownPlaces({ deformer, mesh }: Skin): Float32Array | null {
  const out = new Float32Array(mesh.points * 3);
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    const kept = part.prim.getAttribute(OWN_PLACE);
    if (!kept) return null;
    const own = floatsOf(kept);
    for (let v = 0; v < vertices; v++) out.set(own.subarray(v * 3, v * 3 + 3), mesh.pointOf[firstVertex + v] * 3);
  }
  return out;
}

/** Lays the parts of a skin that is laid already to other places. */
function layAgain(
  body: Skin,
  wrapped: Pick<Wrapped, 'places'>,
  normals: Float32Array,
  old: Mesh,
  at: Correspondence,
): void {
  for (const range of body.deformer.ranges) {
    const { places, normals: own, from, shares } = laidPart(body, range, wrapped, normals, { mesh: old }, at),
      put = (semantic: string, values: Float32Array<ArrayBuffer>) =>
        range.part.prim.getAttribute(semantic)?.setArray(values);
    put('POSITION', places);
    put('NORMAL', own);
    put(FROM_TRIANGLE, from);
    put(FROM_SHARES, shares);
  }
}
