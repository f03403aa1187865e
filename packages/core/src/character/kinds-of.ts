import type { Document, Material } from '@gltf-transform/core';
import { readDossier } from './dossier.ts';
import { kindByName, type KindFound, type MaterialKind } from './kinds.ts';
import { listParts } from './parts.ts';

/**
 * What a document's materials are and how that is known: by what was said by hand or found when it arrived, by name, or
 * by the name of what wears them. Parts are listed once; what is said afterwards needs a new one.
 */
export function namedKindsOf(document: Document): (material: Material | null) => KindFound {
  const said = readDossier(document).materialKinds ?? {},
    wearer = new Map(listParts(document).map((part) => [part.material, part.name]));
  return (material) => kindByName(material, wearer.get(material) ?? '', said);
}

/** {@link namedKindsOf} without how it is known. */
export function kindsOf(document: Document): (material: Material | null) => MaterialKind {
  const of = namedKindsOf(document);
  return (material) => of(material).kind;
}
