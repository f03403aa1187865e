import {
  createGltfIO,
  facesByPart,
  findMisplaced,
  groupPieces,
  misplacedByReference,
  regionAt,
  unpackDocument,
  withChoices,
  withReference,
  type PieceGroup,
  type SlotChoice,
} from '@dimetra/core';
import type { Document, GLTF } from '@gltf-transform/core';
import { expose } from 'comlink';

/** A connected region of one material: where it lies, what it wears, what it would go to. */
export interface Region {
  group: string;
  from: string | null;
  to: string | null;
  triangles: number;
  parts: { id: string; faces: number[] }[];
}
export interface RegionHit extends Region {
  /** Materials that touch it, most first. */ beside: string[];
}
let document: Document | null = null,
  reference: Document | null = null,
  groups: PieceGroup[] = [];
const read = async (manifest: GLTF.IGLTF, pieces: Map<string, Uint8Array>): Promise<Document> =>
  unpackDocument(await createGltfIO(), manifest, (hash) => pieces.get(hash) ?? new Uint8Array(0));

/** Regions of materials, off the page's own thread; the character is read once. */
const work = {
  async open(manifest: GLTF.IGLTF, pieces: Map<string, Uint8Array>): Promise<void> {
    document = await read(manifest, pieces);
    groups = groupPieces(document);
  },
  /** Another character to compare with; null for none. */
  async compareWith(manifest: GLTF.IGLTF | null, pieces: Map<string, Uint8Array>): Promise<void> {
    reference = manifest && (await read(manifest, pieces));
  },
  /** What the run would give another material, with what the user said. */
  misplaced(choices: readonly SlotChoice[], search: boolean): Region[] {
    if (!document) return [];
    const materials = document.getRoot().listMaterials(),
      found = search ? findMisplaced(groups) : [],
      told = search && reference ? misplacedByReference(groups, reference, materials) : [];
    return withChoices(groups, withReference(found, told), choices, materials).map(({ group, from, to, faces }) => ({
      group: group.name,
      from: from?.getName() ?? null,
      to: to?.getName() ?? null,
      triangles: faces.length,
      parts: [...facesByPart(group, faces)].map(([id, list]) => ({ id, faces: list })),
    }));
  },
  regionAt(at: { part: string; face: number }): RegionHit | null {
    const found = regionAt(groups, at);
    return found
      ? {
          group: found.group.name,
          from: found.material?.getName() ?? null,
          to: null,
          triangles: found.faces.length,
          parts: [...facesByPart(found.group, found.faces)].map(([id, faces]) => ({ id, faces })),
          beside: found.beside.flatMap((material) => (material ? [material.getName()] : [])),
        }
      : null;
  },
};
export type RegionsWorker = typeof work;
expose(work);
