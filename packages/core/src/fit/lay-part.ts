import type { Document, Material } from '@gltf-transform/core';
import {
  copyMaterial,
  freeName,
  kindFromName,
  type Part,
  readDossier,
  takeOutPart,
  updateDossier,
} from '../character/index.ts';
import type { Followed } from '../wrap/index.ts';

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

export const sceneOf = (document: Document) =>
  document.getRoot().getDefaultScene() ?? document.getRoot().listScenes()[0];

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
export function materialLike(document: Document, part: Part, like: Material | null, taken: Set<string>): Material {
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
