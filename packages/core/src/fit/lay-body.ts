import type { Document, Node, Primitive } from '@gltf-transform/core';
import { createDeformer, type Influences, type Part, writeInfluences } from '../character/index.ts';
import { type Correspondence, isSkin, type Skin, type Wrapped } from '../wrap/index.ts';
import { type Weighed, weighed } from './bend-as.ts';
import { jointsFor } from './joints-for.ts';
import type { OwnMorphs } from './own-morphs.ts';
import { keepReplaced, OWN_PLACE, type Replaced, type ReplacedPart, replacedIn } from './replaced.ts';
import { shadingNormals } from './shading-normals.ts';
import { influencesBySlots, LaidMeshes, type LaidPart, primitiveLaid, takeOut, takenNames } from './lay-part.ts';

export interface Laid {
  /** What was put in and what it took the place of. */
  parts: { name: string; material: string; of: string[] }[];
  /** Joints of the body that the character doesn't have: their weight went to the one above. */
  without: string[];
  weighed: Weighed;
}

/** Parts of what was replaced on which a part has less of its points than this are no part of it. */
const LEAST_SHARE = 0.01;

/**
 * Puts a figure's skin, come to lie on a character's, in the place of that. It has the figure's polygons, texture places, names
 * and weights; looks, normals and the list of morphs are the character's. What was replaced is kept beside it, with each
 * vertex's place on it, until maps and morphs have been carried over.
 * @param options morphs of the figure's that it keeps besides, as they move the body's vertices, and whose weights it gets
 */
export function layBody(
  document: Document,
  body: Skin,
  other: Skin,
  wrapped: Wrapped,
  at: Correspondence,
  { own = new Map(), weights = 'figure' }: { own?: OwnMorphs; weights?: Parameters<typeof weighed>[5] } = {},
): Laid {
  const old = createDeformer(document, isSkin);
  keepReplaced(document, old, other.rest);
  const replaced = replacedIn(document) as Replaced,
    nodes = nodesLeft(old.ranges.map(({ part }) => part)),
    { skin, slots, without } = jointsFor(document, body, other),
    normals = shadingNormals(body, wrapped, other, at, replaced),
    taken = takenNames(
      document,
      old.ranges.map(({ part }) => part),
    ),
    meshes = new LaidMeshes(document, skin, taken),
    laid: Laid = {
      parts: [],
      without,
      weighed: weighed(
        body,
        influencesBySlots(body.followed, 0, body.deformer.vertices, slots),
        wrapped,
        other,
        at,
        weights,
      ),
    },
    laidAs = new Map<Primitive, Range>();
  for (const range of body.deformer.ranges) {
    const from = partsUnder(body, range, at, other, replaced),
      alone = ownPlaces(body, range, wrapped),
      prim = primitiveLaid(document, body.deformer.indices, range, laidPart(body, range, wrapped, normals, other, at));
    prim.setAttribute(OWN_PLACE, document.createAccessor().setType('VEC3').setArray(alone));
    writeInfluences(document, prim, ofRange(laid.weighed.influences, range));
    laidAs.set(prim, range);
    laid.parts.push({ ...meshes.add(range.part, prim, from), of: from.map(({ name }) => name) });
  }
  meshes.giveMorphs(
    nodes,
    new Map(
      [...own].map(([name, delta]) => [
        name,
        (prim) => {
          const range = laidAs.get(prim);
          return range ? delta.slice(range.firstVertex * 3, (range.firstVertex + range.vertices) * 3) : null;
        },
      ]),
    ),
  );
  for (const { part } of old.ranges) takeOut(part);
  return laid;
}

/** Nodes of parts that are left without a mesh, by the part's name: clips that play their morphs go on to what takes their place. */
function nodesLeft(replaced: readonly Part[]): Map<string, Node> {
  const gone = new Set(replaced.map(({ prim }) => prim));
  return new Map(
    replaced.flatMap(({ id, node, mesh }) =>
      mesh.listPrimitives().every((prim) => gone.has(prim)) ? [[id, node] as const] : [],
    ),
  );
}

const ofRange = ({ perVertex, joints, weights }: Influences, { firstVertex, vertices }: Range): Influences => ({
  perVertex,
  joints: joints.slice(firstVertex * perVertex, (firstVertex + vertices) * perVertex),
  weights: weights.slice(firstVertex * perVertex, (firstVertex + vertices) * perVertex),
});

type Range = Skin['deformer']['ranges'][number];

/** Parts of what was replaced that a part of the body lies on, the one under most of it first. */
function partsUnder(body: Skin, range: Range, at: Correspondence, other: Skin, replaced: Replaced): ReplacedPart[] {
  const count = new Map<ReplacedPart, number>();
  let all = 0;
  for (let v = range.firstVertex; v < range.firstVertex + range.vertices; v++) {
    const triangle = at.triangle[body.mesh.pointOf[v]];
    if (triangle < 0) continue;
    const number = other.mesh.triangleOf[triangle],
      part = replaced.parts.find((one) => number < one.firstTriangle + one.triangles) as ReplacedPart;
    count.set(part, (count.get(part) ?? 0) + 1);
    all++;
  }
  return [...count]
    .filter(([, n]) => n >= LEAST_SHARE * all)
    .sort((a, b) => b[1] - a[1])
    .map(([part]) => part);
}

function ownPlaces({ mesh }: Skin, { firstVertex, vertices }: Range, { aligned }: Wrapped): Float32Array<ArrayBuffer> {
  const out = new Float32Array(vertices * 3);
  for (let v = 0; v < vertices; v++) {
    const p = mesh.pointOf[firstVertex + v];
    out.set(aligned.subarray(p * 3, p * 3 + 3), v * 3);
  }
  return out;
}

/** A part's vertices as the points of its mesh lie, with their places on the other. */
export function laidPart(
  { mesh }: Pick<Skin, 'mesh'>,
  { firstVertex, vertices }: Pick<Range, 'firstVertex' | 'vertices'>,
  { places }: Pick<Wrapped, 'places'>,
  normals: Float32Array,
  other: Pick<Skin, 'mesh'>,
  at: Correspondence,
): LaidPart {
  const out: LaidPart = {
    places: new Float32Array(vertices * 3),
    normals: new Float32Array(vertices * 3),
    from: new Float32Array(vertices).fill(-1),
    shares: new Float32Array(vertices * 2),
  };
  for (let v = 0; v < vertices; v++) {
    const p = mesh.pointOf[firstVertex + v],
      triangle = at.triangle[p];
    out.places.set(places.subarray(p * 3, p * 3 + 3), v * 3);
    out.normals.set(normals.subarray(p * 3, p * 3 + 3), v * 3);
    if (triangle < 0) continue;
    out.from[v] = other.mesh.triangleOf[triangle];
    out.shares.set(at.share.subarray(p * 2, p * 2 + 2), v * 2);
  }
  return out;
}
