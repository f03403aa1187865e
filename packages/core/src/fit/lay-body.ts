import type { Document, Material, Mesh, Node, Primitive } from '@gltf-transform/core';
import {
  copyMaterial,
  createDeformer,
  freeName,
  kindFromName,
  type Part,
  readDossier,
  takeOutPart,
  updateDossier,
  writeInfluences,
} from '../character/index.ts';
import { type Correspondence, isSkin, type Skin, type Wrapped } from '../wrap/index.ts';
import { jointsFor } from './joints-for.ts';
import { FROM_SHARES, FROM_TRIANGLE, keepReplaced, type Replaced, type ReplacedPart, replacedIn } from './replaced.ts';
import { shadingNormals } from './shading-normals.ts';
import { giveMorphs } from './give-morphs.ts';

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
    writeInfluences(document, prim, influencesOfRange(body, firstVertex, vertices, slots));
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

function takeOut(part: Part): void {
  const { node, mesh, prim } = part,
    skeletal = node.listParents().some((parent) => parent.propertyType === 'Skin');
  takeOutPart(part);
  if (!mesh.listParents().some((parent) => parent.propertyType === 'Node')) mesh.dispose();
  // What nothing holds any more still holds its material.
  if (mesh.isDisposed() || !mesh.listPrimitives().includes(prim)) {
    for (const target of prim.listTargets()) target.dispose();
    prim.dispose();
  }
  if (!node.getMesh() && !node.listChildren().length && !skeletal) node.dispose();
}

const sceneOf = (document: Document) => document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0];

/** Names that other parts and materials have; those of what is replaced become free. */
function takenNames(document: Document, replaced: readonly Part[]) {
  const gone = new Set(replaced.map(({ node }) => node)),
    root = document.getRoot();
  return {
    nodes: new Set(root.listNodes().flatMap((node) => (gone.has(node) ? [] : [node.getName()]))),
    materials: new Set(root.listMaterials().map((material) => material.getName())),
  };
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

/** Weights of a part by slots of the new skin: joints that became one count as one, and all of a vertex add up to one. */
function influencesOfRange(body: Skin, firstVertex: number, vertices: number, slots: Uint16Array) {
  const { perVertex, joints, weights } = body.followed,
    out = { perVertex, joints: new Uint16Array(vertices * perVertex), weights: new Float32Array(vertices * perVertex) };
  for (let v = 0; v < vertices; v++) {
    const to = v * perVertex;
    let used = 0,
      sum = 0;
    for (let k = (firstVertex + v) * perVertex, end = k + perVertex; k < end; k++) {
      if (!(weights[k] > 0)) continue;
      const slot = slots[joints[k]];
      let at = to;
      while (at < to + used && out.joints[at] !== slot) at++;
      if (at === to + used) used++;
      out.joints[at] = slot;
      out.weights[at] += weights[k];
      sum += weights[k];
    }
    for (let k = to; k < to + used; k++) out.weights[k] /= sum;
  }
  return out;
}

/** A material named as the figure names it that looks like the character's. */
function materialLike(document: Document, part: Part, like: Material | null, taken: Set<string>): Material {
  const named = part.material?.getName() || like?.getName() || `${part.node.getName()} skin`,
    name = like?.getName() === named ? named : freeName(named, taken),
    material = like ? copyMaterial(like) : document.createMaterial();
  taken.add(name);
  material.setName(name);
  if (kindFromName(name) !== part.kind) {
    const { materialKinds = {} } = readDossier(document);
    updateDossier(document, { materialKinds: { ...materialKinds, [name]: part.kind } });
  }
  return material;
}
