import type { Document, Material, Mesh, Node, Primitive } from '@gltf-transform/core';
import { createDeformer, freeName, type Part, writeInfluences } from '../character/index.ts';
import { type Correspondence, isSkin, type Skin, type Wrapped } from '../wrap/index.ts';
import { jointsFor } from './joints-for.ts';
import { FROM_SHARES, FROM_TRIANGLE, keepReplaced, type Replaced, type ReplacedPart, replacedIn } from './replaced.ts';
import { shadingNormals } from './shading-normals.ts';
import { giveMorphs } from './give-morphs.ts';
import { influencesBySlots, materialLike, sceneOf, takeOut, takenNames } from './lay-part.ts';

export interface Laid {
  /** What was put in and what it took the place of. */
  parts: { name: string; material: string; of: string[] }[];
  /** Joints of the body that the character doesn't have: their weight went to the one above. */
  without: string[];
}

/** Parts of what was replaced on which a part has less of its points than this are no part of it. */
const LEAST_SHARE = 0.01;

/**
 * Puts a figure's skin, come to lie on a character's, in the place of that. It has the figure's polygons, texture places, names
 * and weights; looks, normals and the list of morphs are the character's. What was replaced is kept beside it, with each
 * vertex's place on it, until maps and morphs have been carried over.
 */
export function layBody(document: Document, body: Skin, other: Skin, wrapped: Wrapped, at: Correspondence): Laid {
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
    materials = new Map<Material | null, Material>(),
    made = new Map<Mesh, { mesh: Mesh; node: Node; from: ReplacedPart[]; parts: Laid['parts'][number][] }>(),
    laid: Laid = { parts: [], without };
  for (const range of body.deformer.ranges) {
    const { part, firstVertex, vertices } = range,
      from = partsUnder(body, range, at, other, replaced),
      prim = primitiveOf(document, body, range, wrapped, normals, other, at),
      // Parts that the figure gives one material share it here too.
      material =
        (part.material && materials.get(part.material)) ??
        materialLike(document, part, from[0]?.material ?? null, taken.materials);
    materials.set(part.material, material);
    writeInfluences(document, prim, influencesBySlots(body.followed, firstVertex, vertices, slots));
    prim.setMaterial(material);
    let entry = made.get(part.mesh);
    if (!entry) {
      const name = freeName(part.node.getName() || part.mesh.getName() || 'Skin', taken.nodes),
        mesh = document.createMesh(part.mesh.getName() || name),
        node = document.createNode(name).setMesh(mesh).setSkin(skin);
      taken.nodes.add(name);
      sceneOf(document)?.addChild(node);
      entry = { mesh, node, from: [], parts: [] };
      made.set(part.mesh, entry);
    }
    entry.mesh.addPrimitive(prim);
    for (const one of from) if (!entry.from.includes(one)) entry.from.push(one);
    const told = { name: entry.node.getName(), material: material.getName(), of: from.map(({ name }) => name) };
    laid.parts.push(told);
  }
  for (const { mesh, node, from } of made.values()) giveMorphs(document, mesh, node, from, nodes);
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

function primitiveOf(
  document: Document,
  body: Skin,
  { part, firstVertex, vertices, firstTriangle, triangles }: Range,
  { places }: Wrapped,
  normals: Float32Array,
  other: Skin,
  at: Correspondence,
): Primitive {
  const prim = document.createPrimitive(),
    position = new Float32Array(vertices * 3),
    normal = new Float32Array(vertices * 3),
    from = new Float32Array(vertices).fill(-1),
    shares = new Float32Array(vertices * 2);
  for (let v = 0; v < vertices; v++) {
    const p = body.mesh.pointOf[firstVertex + v],
      triangle = at.triangle[p];
    position.set(places.subarray(p * 3, p * 3 + 3), v * 3);
    normal.set(normals.subarray(p * 3, p * 3 + 3), v * 3);
    if (triangle < 0) continue;
    from[v] = other.mesh.triangleOf[triangle];
    shares.set(at.share.subarray(p * 2, p * 2 + 2), v * 2);
  }
  const put = (semantic: string, type: 'SCALAR' | 'VEC2' | 'VEC3', values: Float32Array<ArrayBuffer>) =>
    prim.setAttribute(semantic, document.createAccessor().setType(type).setArray(values));
  put('POSITION', 'VEC3', position);
  put('NORMAL', 'VEC3', normal);
  for (const semantic of part.prim.listSemantics()) {
    const accessor = semantic.startsWith('TEXCOORD_') && part.prim.getAttribute(semantic);
    if (accessor)
      put(
        semantic,
        'VEC2',
        Float32Array.from({ length: accessor.getCount() * 2 }, (_, k) => accessor.getElement(k >> 1, [0, 0])[k & 1]),
      );
  }
  put(FROM_TRIANGLE, 'SCALAR', from);
  put(FROM_SHARES, 'VEC2', shares);
  const corners = body.deformer.indices.slice(firstTriangle * 3, (firstTriangle + triangles) * 3);
  for (let k = 0; k < corners.length; k++) corners[k] -= firstVertex;
  return prim.setIndices(
    document
      .createAccessor()
      .setType('SCALAR')
      .setArray(vertices < 65_536 ? Uint16Array.from(corners) : corners),
  );
}
