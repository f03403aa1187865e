import type { Accessor, Document, Material, Mesh, Node } from '@gltf-transform/core';
import { copyDocument, freeName } from '../../character/index.ts';
import { LEVELS, LevelsExtension } from '../../formats/index.ts';
import { heightSeen } from '../../targets/index.ts';

/** A level to be held by the file of the nearest. */
export interface HeldLevel {
  n: number;
  /** Shown from here on, metres. */
  fromM: number;
  document: Document;
}

/**
 * The nearest with its further levels in it (MSFT_lod): each mesh's node names those that stand in for it, with how much of
 * the picture's height the figure takes where they begin. Materials, maps and joints are the nearest's.
 * @param heightM of the figure
 */
export function holdLevels(nearest: Document, levels: readonly HeldLevel[], heightM: number): Document {
  const own = copyDocument(nearest),
    extension = own.createExtension(LevelsExtension),
    materials = new Map(
      own
        .getRoot()
        .listMaterials()
        .map((material) => [material.getName(), material]),
    ),
    taken = new Set(
      own
        .getRoot()
        .listNodes()
        .map((node) => node.getName()),
    ),
    further = levels.map(({ n, document }) => ({ n, nodes: byKey(document), copied: new Map<Accessor, Accessor>() }));
  // What is shown below these shares of the height: the last level as far as one sees.
  const shares = [...levels.map(({ fromM }) => share(heightM, fromM)), 0];
  for (const [key, node] of byKey(own)) {
    const standIns = extension.createLevels();
    for (const { n, nodes, copied } of further) {
      const other = nodes.get(key),
        mesh = other?.getMesh();
      const standIn = own
        .createNode(freeName(`${node.getName() || 'part'}_lod${n}`, taken, '_'))
        .setTranslation(node.getTranslation())
        .setRotation(node.getRotation())
        .setScale(node.getScale());
      taken.add(standIn.getName());
      // Who has no mesh there shows nothing there.
      if (mesh) standIn.setMesh(copyMesh(own, mesh, materials, copied)).setSkin(node.getSkin());
      standIns.addLevel(standIn);
    }
    node.setExtension(LEVELS, standIns).setExtras({ ...node.getExtras(), MSFT_screencoverage: shares });
  }
  return own;
}

const share = (heightM: number, metres: number): number => Number(Math.min(1, heightM / heightSeen(metres)).toFixed(4));

/** Nodes that carry a mesh, by name and which of that name they are. */
function byKey(document: Document): Map<string, Node> {
  const out = new Map<string, Node>(),
    count = new Map<string, number>();
  for (const node of document.getRoot().listNodes()) {
    const name = node.getName(),
      n = count.get(name) ?? 0;
    count.set(name, n + 1);
    if (node.getMesh()) out.set(`${n} ${name}`, node);
  }
  return out;
}

/** A mesh of another document with the same arrays, in materials of this one. */
function copyMesh(
  document: Document,
  mesh: Mesh,
  materials: ReadonlyMap<string, Material>,
  copied: Map<Accessor, Accessor>,
): Mesh {
  const [buffer] = document.getRoot().listBuffers();
  const own = (from: Accessor): Accessor => {
    const known = copied.get(from);
    if (known) return known;
    const made = document
      .createAccessor(from.getName())
      .setType(from.getType())
      .setArray(from.getArray())
      .setNormalized(from.getNormalized())
      .setSparse(from.getSparse())
      .setBuffer(buffer ?? null);
    copied.set(from, made);
    return made;
  };
  const out = document.createMesh(mesh.getName()).setExtras(mesh.getExtras()).setWeights(mesh.getWeights());
  for (const prim of mesh.listPrimitives()) {
    const indices = prim.getIndices(),
      material = prim.getMaterial(),
      made = document
        .createPrimitive()
        .setMode(prim.getMode())
        .setExtras(prim.getExtras())
        .setIndices(indices && own(indices))
        .setMaterial(material && (materials.get(material.getName()) ?? null));
    for (const name of prim.listSemantics()) made.setAttribute(name, own(prim.getAttribute(name) as Accessor));
    for (const target of prim.listTargets()) {
      const copy = document.createPrimitiveTarget(target.getName());
      for (const name of target.listSemantics()) copy.setAttribute(name, own(target.getAttribute(name) as Accessor));
      made.addTarget(copy);
    }
    out.addPrimitive(made);
  }
  return out;
}
