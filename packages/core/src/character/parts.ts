import type { Document, Material, Mesh, Node, Primitive } from '@gltf-transform/core';
import { triangleCount } from './arrays.ts';
import { morphNamesOf } from './morph-names.ts';
import { type MaterialKind, materialKindOf, partRoleOf } from './kinds.ts';
import { readDossier } from './dossier.ts';

/** One surface of the character with one material: the unit that budgets, parity and the stage speak of. */
export interface Part {
  /** Unique within the character and stable under steps: the name, with a number behind it where names clash. */
  id: string;
  name: string;
  /** What the part is on a person: body, eyes, hair … */
  role: string;
  kind: MaterialKind;
  node: Node;
  mesh: Mesh;
  prim: Primitive;
  material: Material | null;
  triangles: number;
  vertices: number;
  morphNames: string[];
}

/** All parts in document order. A mesh under several nodes is several parts. */
export function listParts(document: Document): Part[] {
  const parts: Part[] = [];
  const taken = new Set<string>();
  const overruled = readDossier(document).materialKinds ?? {};
  for (const node of document.getRoot().listNodes()) {
    const mesh = node.getMesh();
    if (!mesh) continue;
    const prims = mesh.listPrimitives();
    const base = node.getName() || mesh.getName() || 'part';
    for (const prim of prims) {
      const material = prim.getMaterial();
      const name =
        prims.length > 1 && material?.getName() && !sameWords(base, material.getName())
          ? `${base} · ${material.getName()}`
          : base;
      let id = name;
      for (let n = 2; taken.has(id); n++) id = `${name} ${n}`;
      taken.add(id);
      const targets = prim.listTargets().length;
      parts.push({
        id,
        name: id,
        node,
        mesh,
        prim,
        material,
        kind: materialKindOf(material, base, overruled),
        role: partRoleOf(base, material, overruled),
        triangles: triangleCount(prim),
        vertices: prim.getAttribute('POSITION')?.getCount() ?? 0,
        morphNames: morphNamesOf(mesh).slice(0, targets),
      });
    }
  }
  return parts;
}

/** Takes a part off the figure; a mesh that stands somewhere else too keeps what it has there. */
export function takeOutPart({ node, mesh, prim }: Part): void {
  const others = mesh.listParents().filter((parent) => parent.propertyType === 'Node').length > 1;
  if (others || mesh.listPrimitives().length === 1) node.setMesh(null).setSkin(null);
  else mesh.removePrimitive(prim);
}

const sameWords = (a: string, b: string): boolean =>
  a.toLowerCase().replace(/\W/g, '') === b.toLowerCase().replace(/\W/g, '');
