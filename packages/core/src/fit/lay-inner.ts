import type { Document, Node } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  influencesOf,
  INNER_KINDS,
  type Part,
  readDossier,
  type Skeleton,
  updateDossier,
  writeInfluences,
} from '../character/index.ts';
import { FacingTree } from '../geometry/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import { type Followed, followedBy, type Placed } from '../wrap/index.ts';
import { jointsFor } from './joints-for.ts';
import { influencesBySlots, LaidMeshes, type LaidPart, primitiveLaid, takeOut, takenNames } from './lay-part.ts';
import { keepReplaced, type ReplacedPart, replacedIn } from './replaced.ts';
import { BITE_KINDS, type Inner, pointsOf, restOf } from './inner-points.ts';
import { asWide, ballThrough, nudged, placed, type Similar } from './similar.ts';

const OF_EYES: readonly string[] = ['eye', 'cornea'];
/** No place of the old one further away than this is taken for a counterpart, metres. */
const REACH = 0.05;

/** How much larger and further forward or up than by itself, metres. */
export interface Nudge {
  larger: number;
  forward: number;
  up: number;
}
export interface Seated {
  parts: { name: string; of: string[] }[];
  /** Kinds that only one of both has: they stay as they are. */
  missing: string[];
  /** What the figure's came to be by, of the eyes and of the bite. */
  scales: { eyes: number[]; bite: number | null };
}

/**
 * Puts a figure's eyes, teeth, gums and tongue where the character's own stand: eyeballs by the balls they are, the bite as wide
 * and about the same middle. They have the figure's polygons, texture places, names and weights, and the looks and morphs of what
 * they take the place of; what was replaced is kept, with each vertex's place on it, until maps and morphs are carried over.
 * @param figure standing at rest in metres
 * @returns null where nothing of either has a counterpart
 */
export function layInner(document: Document, figure: Document, nudge: { eyes: Nudge; bite: Nudge }): Seated | null {
  const kinds = { own: kindsIn(document), theirs: kindsIn(figure) },
    shared = INNER_KINDS.filter((kind) => kinds.own.has(kind) && kinds.theirs.has(kind)),
    missing = INNER_KINDS.filter((kind) => kinds.own.has(kind) !== kinds.theirs.has(kind)),
    of = ({ kind }: Part) => shared.includes(kind);
  if (!shared.length) return null;
  const own = restOf(document, of),
    theirs = restOf(figure, of),
    seats = seatsOf(own, theirs, nudge);
  // A ball that is none, or teeth in a line, can't be told how to lie.
  const laid = shared.filter((kind) => (OF_EYES.includes(kind) ? seats.eyes.every(Boolean) : seats.bite));
  if (!laid.length) return null;
  const before = replacedIn(document)?.parts.length ?? 0,
    gone = restOf(document, ({ kind }) => laid.includes(kind), true),
    goneParts = gone.deformer.ranges.map(({ part }) => part);
  keepReplaced(document, gone.deformer, gone.rest);
  const trees = treesOf(gone, (replacedIn(document)?.parts ?? []).slice(before)),
    { skin, slots } = jointsFor(
      document,
      placesOfJoints(figure, theirs.deformer),
      placesOfJoints(document, gone.deformer),
    ),
    followed = followedRigidToo(theirs.deformer),
    meshes = new LaidMeshes(document, skin, takenNames(document, goneParts)),
    parts = new Map<string, Set<string>>();
  for (const range of theirs.deformer.ranges) {
    const { part, firstVertex, vertices } = range,
      tree = laid.includes(part.kind) && trees.get(part.kind);
    if (!tree) continue;
    const seatOf = OF_EYES.includes(part.kind) ? (x: number) => seats.eyes[x > 0 ? 0 : 1] : () => seats.bite,
      { under, ...places } = seated(theirs, range, seatOf as (x: number) => Similar, tree),
      prim = primitiveLaid(document, theirs.deformer.indices, range, places);
    writeInfluences(document, prim, influencesBySlots(followed, firstVertex, vertices, slots));
    const { name } = meshes.add(part, prim, under),
      of = parts.get(name) ?? new Set();
    for (const one of under) of.add(one.name);
    parts.set(name, of);
  }
  meshes.giveMorphs(new Map(goneParts.map((part) => [part.id, part.node])));
  for (const part of goneParts) takeOut(part);
  const told = [...parts].map(([name, were]) => ({ name, of: [...were] }));
  notMissed(document, told);
  return {
    parts: told,
    missing: [...missing, ...shared.filter((kind) => !laid.includes(kind))],
    scales: { eyes: seats.eyes.flatMap((seat) => seat?.scale ?? []), bite: seats.bite?.scale ?? null },
  };
}

/** A part where it comes to stand, with each vertex's nearest place on what was there, and what that was, the most of it first. */
function seated(
  { rest, normals: all }: Inner,
  { firstVertex, vertices }: Deformer['ranges'][number],
  seatOf: (x: number) => Similar,
  tree: NearestPlace,
): LaidPart & { under: ReplacedPart[] } {
  const places = new Float32Array(vertices * 3),
    normals = all.slice(firstVertex * 3, (firstVertex + vertices) * 3),
    from = new Float32Array(vertices).fill(-1),
    shares = new Float32Array(vertices * 2),
    count = new Map<ReplacedPart, number>();
  for (let v = 0; v < vertices; v++) {
    const o = (firstVertex + v) * 3;
    places.set(placed(seatOf(rest[o]), rest[o], rest[o + 1], rest[o + 2]), v * 3);
    const found = tree.closest(places, normals, v);
    if (!found) continue;
    from[v] = found.triangle;
    shares[v * 2] = found.v;
    shares[v * 2 + 1] = found.w;
    count.set(found.part, (count.get(found.part) ?? 0) + 1);
  }
  return { places, normals, from, shares, under: [...count].sort((a, b) => b[1] - a[1]).map(([part]) => part) };
}

/** Who is called otherwise now is not missed. */
function notMissed(document: Document, parts: Seated['parts']): void {
  const became = Object.fromEntries(
    parts.flatMap(({ name, of }) => of.flatMap((was) => (was === name ? [] : [[was, name]]))),
  );
  if (!Object.keys(became).length) return;
  const { joinedParts = {} } = readDossier(document);
  updateDossier(document, { joinedParts: { ...joinedParts, ...became } });
}

const kindsIn = (document: Document): ReadonlySet<string> =>
  new Set(createDeformer(document, () => true, false).ranges.map(({ part }) => part.kind));

function seatsOf(own: Inner, theirs: Inner, nudge: { eyes: Nudge; bite: Nudge }) {
  const eye = (side: 'left' | 'right'): Similar | null => {
      const [a, b] = [theirs, own].map((inner) => ballThrough(pointsOf(inner, 'eye', side)));
      return a && b && nudgedBy({ scale: b.radius / a.radius, from: a.at, to: b.at }, nudge.eyes);
    },
    // The bite by the teeth, or by what there is.
    kind = BITE_KINDS.find((one) => pointsOf(theirs, one).length && pointsOf(own, one).length),
    bite = kind ? asWide(pointsOf(theirs, kind), pointsOf(own, kind)) : null;
  return { eyes: [eye('left'), eye('right')], bite: bite && nudgedBy(bite, nudge.bite) };
}
const nudgedBy = (similar: Similar, { larger, forward, up }: Nudge): Similar => nudged(similar, larger, forward, up);

interface NearestPlace {
  closest(
    places: Float32Array,
    normals: Float32Array,
    v: number,
  ): { triangle: number; part: ReplacedPart; v: number; w: number } | null;
}
/** Of each kind what was replaced, to be asked for the nearest place; triangles by their numbers among all that was. */
function treesOf({ deformer, rest }: Inner, kept: readonly ReplacedPart[]): ReadonlyMap<string, NearestPlace> {
  const kinds = new Set(deformer.ranges.map(({ part }) => part.kind));
  return new Map(
    [...kinds].map((kind) => {
      const corners: number[] = [],
        numbers: number[] = [],
        parts: ReplacedPart[] = [];
      deformer.ranges.forEach(({ part, firstTriangle, triangles }, r) => {
        if (part.kind !== kind) return;
        for (let t = 0; t < triangles; t++) {
          corners.push(...deformer.indices.subarray((firstTriangle + t) * 3, (firstTriangle + t) * 3 + 3));
          numbers.push(kept[r].firstTriangle + t);
          parts.push(kept[r]);
        }
      });
      const tree = new FacingTree(rest, Uint32Array.from(corners));
      return [
        kind as string,
        {
          closest(places: Float32Array, normals: Float32Array, v: number) {
            // The side that faces the same way first: teeth have an inside.
            for (const cos of [0.3, -1])
              if (tree.closestTo(places, normals, v, cos, REACH)) {
                const { triangle, v: share, w } = tree.hit;
                return { triangle: numbers[triangle], part: parts[triangle], v: share, w };
              }
            return null;
          },
        },
      ] as const;
    }),
  );
}

const placesOfJoints = (document: Document, { skeleton }: { skeleton: Skeleton }): Placed => ({
  skeleton,
  roles: roleIndex(jointRoles(document, skeleton)),
});

/** Weights of all vertices; what hangs on a joint without any follows that wholly. */
function followedRigidToo(deformer: Deformer): Followed {
  const followed = followedBy(deformer),
    { perVertex } = followed,
    out = { perVertex, joints: Uint16Array.from(followed.joints), weights: Float32Array.from(followed.weights) };
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    if (part.node.getSkin() && influencesOf(part.prim)) continue;
    let at: Node | null = part.node;
    while (at && deformer.skeleton.index.get(at) === undefined) at = at.getParentNode();
    const joint = at ? (deformer.skeleton.index.get(at) ?? 0) : 0;
    for (let v = firstVertex; v < firstVertex + vertices; v++) {
      out.joints[v * perVertex] = joint;
      out.weights[v * perVertex] = 1;
    }
  }
  return out;
}
