import type { Document, Material, Mesh, Node } from '@gltf-transform/core';
import {
  createDeformer,
  type Deformer,
  floatsOf,
  freeName,
  influencesOf,
  type MaterialKind,
  type Part,
  readDossier,
  type Skeleton,
  updateDossier,
  writeInfluences,
} from '../character/index.ts';
import { FacingTree } from '../geometry/index.ts';
import { jointRoles, roleIndex } from '../rig/index.ts';
import { type Followed, followedBy, type Placed } from '../wrap/index.ts';
import { giveMorphs } from './give-morphs.ts';
import { jointsFor } from './joints-for.ts';
import { influencesBySlots, materialLike, sceneOf, takeOut, takenNames } from './lay-part.ts';
import { FROM_SHARES, FROM_TRIANGLE, keepReplaced, type ReplacedPart, replacedIn } from './replaced.ts';
import { asWide, ballThrough, nudged, placed, type Similar } from './similar.ts';

/** What stands in sockets and mouth, and can be another figure's. */
const INNER: readonly MaterialKind[] = ['eye', 'cornea', 'teeth', 'gums', 'tongue'];
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
    shared = INNER.filter((kind) => kinds.own.has(kind) && kinds.theirs.has(kind)),
    missing = INNER.filter((kind) => kinds.own.has(kind) !== kinds.theirs.has(kind)),
    of = ({ kind }: Part) => shared.includes(kind);
  if (!shared.length) return null;
  const own = restOf(document, of),
    theirs = restOf(figure, of),
    seats = seatsOf(own, theirs, nudge);
  // A ball that is none, or teeth in a line, can't be told how to lie.
  const laid = shared.filter((kind) => (OF_EYES.includes(kind) ? seats.eyes.every(Boolean) : seats.bite));
  if (!laid.length) return null;
  const before = replacedIn(document)?.parts.length ?? 0,
    taken = takenNames(
      document,
      own.deformer.ranges.map(({ part }) => part),
    ),
    gone = restOf(document, ({ kind }) => laid.includes(kind), true);
  keepReplaced(document, gone.deformer, gone.rest);
  const kept = (replacedIn(document)?.parts ?? []).slice(before),
    trees = treesOf(gone, kept),
    joints = jointsFor(document, placesOfJoints(figure, theirs.deformer), placesOfJoints(document, gone.deformer)),
    followed = followedRigidToo(theirs.deformer),
    made = new Map<Mesh, { mesh: Mesh; node: Node; from: ReplacedPart[] }>(),
    materials = new Map<Material | null, Material>(),
    out: Seated = {
      parts: [],
      missing: [...missing, ...shared.filter((kind) => !laid.includes(kind))],
      scales: { eyes: seats.eyes.flatMap((seat) => seat?.scale ?? []), bite: seats.bite?.scale ?? null },
    };
  for (const range of theirs.deformer.ranges) {
    const { part, firstVertex, vertices, firstTriangle, triangles } = range;
    if (!laid.includes(part.kind)) continue;
    const places = new Float32Array(vertices * 3),
      normals = theirs.normals.slice(firstVertex * 3, (firstVertex + vertices) * 3),
      from = new Float32Array(vertices).fill(-1),
      shares = new Float32Array(vertices * 2),
      under = new Map<ReplacedPart, number>();
    for (let v = 0; v < vertices; v++) {
      const o = (firstVertex + v) * 3,
        [x, y, z] = [theirs.rest[o], theirs.rest[o + 1], theirs.rest[o + 2]],
        seat = (OF_EYES.includes(part.kind) ? seats.eyes[x > 0 ? 0 : 1] : seats.bite) as Similar;
      places.set(placed(seat, x, y, z), v * 3);
      const found = trees.get(part.kind)?.closest(places, normals, v);
      if (!found) continue;
      from[v] = found.triangle;
      shares[v * 2] = found.v;
      shares[v * 2 + 1] = found.w;
      under.set(found.part, (under.get(found.part) ?? 0) + 1);
    }
    const most = [...under].sort((a, b) => b[1] - a[1]).map(([one]) => one),
      prim = document.createPrimitive(),
      put = (semantic: string, type: 'SCALAR' | 'VEC2' | 'VEC3', values: Float32Array<ArrayBuffer>) =>
        prim.setAttribute(semantic, document.createAccessor().setType(type).setArray(values));
    put('POSITION', 'VEC3', places);
    put('NORMAL', 'VEC3', normals);
    for (const semantic of part.prim.listSemantics()) {
      const accessor = semantic.startsWith('TEXCOORD_') && part.prim.getAttribute(semantic);
      if (accessor) put(semantic, 'VEC2', Float32Array.from(floatsOf(accessor)));
    }
    put(FROM_TRIANGLE, 'SCALAR', from);
    put(FROM_SHARES, 'VEC2', shares);
    const corners = theirs.deformer.indices
      .slice(firstTriangle * 3, (firstTriangle + triangles) * 3)
      .map((v) => v - firstVertex);
    prim.setIndices(
      document
        .createAccessor()
        .setType('SCALAR')
        .setArray(vertices < 65_536 ? Uint16Array.from(corners) : corners),
    );
    writeInfluences(document, prim, influencesBySlots(followed, firstVertex, vertices, joints.slots));
    const material =
      (part.material && materials.get(part.material)) ??
      materialLike(document, part, most[0]?.material ?? null, taken.materials);
    materials.set(part.material, material);
    prim.setMaterial(material);
    let entry = made.get(part.mesh);
    if (!entry) {
      const name = freeName(part.node.getName() || part.mesh.getName() || part.kind, taken.nodes),
        mesh = document.createMesh(part.mesh.getName() || name),
        node = document.createNode(name).setMesh(mesh).setSkin(joints.skin);
      taken.nodes.add(name);
      sceneOf(document)?.addChild(node);
      entry = { mesh, node, from: [] };
      made.set(part.mesh, entry);
      out.parts.push({ name, of: [] });
    }
    entry.mesh.addPrimitive(prim);
    const told = out.parts.find(({ name }) => name === entry.node.getName()) as Seated['parts'][number];
    for (const one of most) {
      if (!entry.from.includes(one)) entry.from.push(one);
      if (!told.of.includes(one.name)) told.of.push(one.name);
    }
  }
  const nodes = new Map(gone.deformer.ranges.map(({ part }) => [part.id, part.node]));
  for (const { mesh, node, from } of made.values()) giveMorphs(document, mesh, node, from, nodes);
  for (const { part } of gone.deformer.ranges) takeOut(part);
  // Who is called otherwise now is not missed.
  const became = Object.fromEntries(
    out.parts.flatMap(({ name, of: were }) => were.flatMap((was) => (was === name ? [] : [[was, name]]))),
  );
  if (Object.keys(became).length) {
    const { joinedParts = {} } = readDossier(document);
    updateDossier(document, { joinedParts: { ...joinedParts, ...became } });
  }
  return out;
}

const kindsIn = (document: Document): ReadonlySet<string> =>
  new Set(createDeformer(document, () => true, false).ranges.map(({ part }) => part.kind));

interface Inner {
  deformer: Deformer;
  rest: Float32Array;
  normals: Float32Array;
}
function restOf(document: Document, of: (part: Part) => boolean, withMorphs = false): Inner {
  const deformer = createDeformer(document, of, withMorphs),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  return { deformer, rest, normals: deformer.evaluateNormals(new Float32Array(rest.length), rest) };
}

/** Places of all vertices of a kind, of one side where it is said. */
function pointsOf({ deformer, rest }: Inner, kind: MaterialKind, side?: 'left' | 'right'): number[] {
  const out: number[] = [];
  for (const { part, firstVertex, vertices } of deformer.ranges) {
    if (part.kind !== kind) continue;
    for (let o = firstVertex * 3; o < (firstVertex + vertices) * 3; o += 3)
      if (!side || rest[o] > 0 === (side === 'left')) out.push(rest[o], rest[o + 1], rest[o + 2]);
  }
  return out;
}

function seatsOf(own: Inner, theirs: Inner, nudge: { eyes: Nudge; bite: Nudge }) {
  const eye = (side: 'left' | 'right'): Similar | null => {
      const [a, b] = [theirs, own].map((inner) => ballThrough(pointsOf(inner, 'eye', side)));
      return a && b && nudgedBy({ scale: b.radius / a.radius, from: a.at, to: b.at }, nudge.eyes);
    },
    // The bite by the teeth, or by what there is.
    kind = (['teeth', 'gums', 'tongue'] as const).find(
      (one) => pointsOf(theirs, one).length && pointsOf(own, one).length,
    ),
    bite = kind ? asWide(pointsOf(theirs, kind), pointsOf(own, kind)) : null;
  return { eyes: [eye('left'), eye('right')], bite: bite && nudgedBy(bite, nudge.bite) };
}
const nudgedBy = (similar: Similar, { larger, forward, up }: Nudge): Similar => nudged(similar, larger, forward, up);

/** Of each kind what was replaced, to be asked for the nearest place; triangles by their numbers among all that was. */
function treesOf({ deformer, rest }: Inner, kept: readonly ReplacedPart[]) {
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
