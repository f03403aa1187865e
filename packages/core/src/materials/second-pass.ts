import type { Document, Material } from '@gltf-transform/core';
import { freeName, isCore, keepOwn, listParts, type Part, readDossier, updateDossier } from '../character/index.ts';

/** Where the solid core of strands is cut: what is softer is left to the blended edge. */
export const CORE_CUT = 0.8;

/** Has strands drawn as a core that is cut out, to which {@link addSoftEdges} adds the edge that is blended. */
export function markCore(material: Material): void {
  material.setAlphaMode('MASK').setAlphaCutoff(CORE_CUT);
  keepOwn(material, 'passes', 2);
}

/** Parts that still lack their soft edge. */
export const withoutEdge = (document: Document): Part[] => {
  const parts = listParts(document);
  return parts.filter(
    (part) =>
      isCore(part.material) &&
      !parts.some(
        (other) =>
          other.mesh === part.mesh &&
          other.material?.getAlphaMode() === 'BLEND' &&
          other.prim.getAttribute('POSITION') === part.prim.getAttribute('POSITION'),
      ),
  );
};

/**
 * Adds to each part with a core the same triangles once more, blended: they share vertices, morphs and maps, and lie at
 * the very same depth, so that they show only where the core was cut away, and on its rim.
 * @returns the parts that were given one, by name
 */
export function addSoftEdges(document: Document): string[] {
  const bare = withoutEdge(document),
    edges = new Map<Material, Material>(),
    taken = new Set(
      document
        .getRoot()
        .listMaterials()
        .map((material) => material.getName()),
    ),
    split: Record<string, string[]> = { ...readDossier(document).splitParts },
    kinds: Record<string, string> = { ...readDossier(document).materialKinds };
  const done = new Set<object>();
  for (const { prim, mesh, material, kind } of bare) {
    if (!material || done.has(prim)) continue;
    done.add(prim);
    let edge = edges.get(material);
    if (!edge) {
      const name = freeName(`${material.getName()} soft edge`, taken);
      taken.add(name);
      edge = material.clone().setName(name).setAlphaMode('BLEND');
      keepOwn(edge, 'passes', undefined);
      edges.set(material, edge);
      kinds[name] = kind;
    }
    mesh.addPrimitive(prim.clone().setMaterial(edge));
  }
  const after = listParts(document);
  for (const { name, prim } of bare) {
    const names = after
      .filter((part) => part.prim.getAttribute('POSITION') === prim.getAttribute('POSITION'))
      .map((part) => part.name);
    split[name] = names;
  }
  if (bare.length) cutScalps(after);
  if (bare.length) updateDossier(document, { splitParts: split, materialKinds: kinds as never });
  return bare.map(({ name }) => name);
}

/** Two blended layers, a scalp and strands over it, would be sorted by where their middles happen to lie. */
export function cutScalps(parts: readonly Pick<Part, 'kind' | 'material'>[]): void {
  for (const { kind, material } of parts)
    if (kind === 'scalp' && material?.getAlphaMode() === 'BLEND') material.setAlphaMode('MASK').setAlphaCutoff(0.5);
}
