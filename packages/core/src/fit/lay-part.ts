import type { Document, Material, Mesh, Node, Primitive, Skin as GltfSkin } from '@gltf-transform/core';
import {
  copyMaterial,
  type Deformer,
  floatsOf,
  freeName,
  kindFromName,
  morphNamesOf,
  type Part,
  readDossier,
  takeOutPart,
  updateDossier,
} from '../character/index.ts';
import type { Followed } from '../wrap/index.ts';
import { giveMorphs } from './give-morphs.ts';
import { FROM_SHARES, FROM_TRIANGLE, type ReplacedPart } from './replaced.ts';

/** Takes a part out with all that only it held. */
export function takeOut(part: Part): void {
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
export function takenNames(document: Document, replaced: readonly Part[]) {
  const gone = new Set(replaced.map(({ node }) => node)),
    root = document.getRoot();
  return {
    nodes: new Set(root.listNodes().flatMap((node) => (gone.has(node) ? [] : [node.getName()]))),
    materials: new Set(root.listMaterials().map((material) => material.getName())),
  };
}

/** Weights of a part by slots of the new skin: joints that became one count as one, and all of a vertex add up to one. */
export function influencesBySlots(
  { perVertex, joints, weights }: Followed,
  firstVertex: number,
  vertices: number,
  slots: Uint16Array,
) {
  const out = {
    perVertex,
    joints: new Uint16Array(vertices * perVertex),
    weights: new Float32Array(vertices * perVertex),
  };
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

/** Where a part's vertices come to lie, and which place of what was replaced each lies on. */
export interface LaidPart {
  /** xyz per vertex */
  places: Float32Array<ArrayBuffer>;
  normals: Float32Array<ArrayBuffer>;
  /** Triangle of what was replaced, −1 for none, and shares of its corners 2 and 3. */
  from: Float32Array<ArrayBuffer>;
  shares: Float32Array<ArrayBuffer>;
}

/** A surface with a part's polygons and texture places, laid elsewhere. */
export function primitiveLaid(
  document: Document,
  indices: Uint32Array,
  { part, firstVertex, firstTriangle, triangles }: Deformer['ranges'][number],
  { places, normals, from, shares }: LaidPart,
): Primitive {
  const prim = document.createPrimitive(),
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
  const corners = indices
    .slice(firstTriangle * 3, (firstTriangle + triangles) * 3)
    .map((vertex) => vertex - firstVertex);
  return prim.setIndices(
    document
      .createAccessor()
      .setType('SCALAR')
      .setArray(from.length < 65_536 ? Uint16Array.from(corners) : corners),
  );
}

/** Morphs of a figure's own: how each moves a part's vertices, xyz of each; null for a part that it doesn't know. */
export type OwnMovements = ReadonlyMap<string, (prim: Primitive) => Float32Array<ArrayBuffer> | null>;

/** Nodes and materials of a figure's parts in a character: parts of one mesh stay one, and so do those of one material. */
export class LaidMeshes {
  private readonly made = new Map<Mesh, { mesh: Mesh; node: Node; from: ReplacedPart[] }>();
  private readonly materials = new Map<Material | null, Material>();

  constructor(
    private readonly document: Document,
    private readonly skin: GltfSkin,
    private readonly taken: { nodes: Set<string>; materials: Set<string> },
  ) {}

  /**
   * @param under what the part takes the place of, the most of it first
   * @returns what its node and its material are called
   */
  add(part: Part, prim: Primitive, under: readonly ReplacedPart[]): { name: string; material: string } {
    const { document, taken } = this,
      material =
        (part.material && this.materials.get(part.material)) ??
        materialLike(document, part, under[0]?.material ?? null, taken.materials);
    this.materials.set(part.material, material);
    let entry = this.made.get(part.mesh);
    if (!entry) {
      const name = freeName(part.node.getName() || part.mesh.getName() || part.kind, taken.nodes),
        mesh = document.createMesh(part.mesh.getName() || name),
        node = document.createNode(name).setMesh(mesh).setSkin(this.skin);
      taken.nodes.add(name);
      sceneOf(document)?.addChild(node);
      entry = { mesh, node, from: [] };
      this.made.set(part.mesh, entry);
    }
    entry.mesh.addPrimitive(prim.setMaterial(material));
    for (const one of under) if (!entry.from.includes(one)) entry.from.push(one);
    return { name: entry.node.getName(), material: material.getName() };
  }

  /**
   * Gives every mesh the morphs of what it takes the place of, and those of its own that move it.
   * @param nodes that held those, by the part's name
   */
  giveMorphs(nodes: ReadonlyMap<string, Node>, own: OwnMovements = new Map()): void {
    for (const { mesh, node, from } of this.made.values()) {
      const prims = mesh.listPrimitives(),
        moving = [...own].filter(([, of]) => prims.some((prim) => of(prim)?.some(Boolean)));
      giveMorphs(
        this.document,
        mesh,
        node,
        from,
        nodes,
        moving.map(([name]) => name),
      );
      const names = morphNamesOf(mesh);
      for (const [name, of] of moving)
        for (const prim of prims) {
          const delta = of(prim);
          if (delta) prim.listTargets()[names.indexOf(name)]?.getAttribute('POSITION')?.setArray(delta);
        }
    }
  }
}
