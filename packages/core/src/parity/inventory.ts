import type { Document } from '@gltf-transform/core';
import { listMorphNames, listParts, mapsOf, readDossier, skeletonOf } from '../character/index.ts';

export interface Inventory {
  /** `joint: jaw`, `morph: smile`, `part: …`, `material: …`, `map: skin normal`, `clip: walk` */
  lost: string[];
  added: string[];
  /** `joint: a → b` */
  renamed: string[];
  /** `part: cornea (the target can't blend)`: gone on purpose. */
  leftOut: string[];
}

function namesOf(document: Document): Map<string, Set<string>> {
  const root = document.getRoot();
  return new Map([
    ['part', new Set(listParts(document).map((part) => part.name))],
    ['joint', new Set(skeletonOf(document).joints.map((joint) => joint.getName()))],
    ['morph', new Set(listMorphNames(document))],
    ['material', new Set(root.listMaterials().map((material) => material.getName()))],
    [
      'map',
      new Set(
        root
          .listMaterials()
          .flatMap((material) => mapsOf(material).map((use) => `${material.getName()} ${use.channel}`)),
      ),
    ],
    ['clip', new Set(root.listAnimations().map((clip) => clip.getName()))],
  ]);
}

/** What was there and is not, what is new, and what goes by another name (the result's dossier knows). */
export function compareInventory(source: Document, result: Document): Inventory {
  const before = namesOf(source);
  const after = namesOf(result);
  const {
    renamedJoints: renames = {},
    joinedParts: joined = {},
    splitParts: split = {},
    leftOut = {},
  } = readDossier(result);
  const out: Inventory = { lost: [], added: [], renamed: [], leftOut: [] };
  for (const [sort, old] of before) {
    const now = after.get(sort) as Set<string>;
    const explained = new Set<string>();
    for (const name of old) {
      const next = sort === 'joint' ? renames[name] : sort === 'part' ? joined[name] : undefined;
      const pieces = sort === 'part' ? split[next ?? name] : undefined;
      if (pieces?.every((piece) => now.has(piece))) {
        out.renamed.push(`part: ${name} → ${pieces.join(', ')}`);
        for (const piece of pieces) explained.add(piece);
      } else if (next !== undefined && (now.has(next) || [...now].some((part) => part.startsWith(`${next} · `)))) {
        out.renamed.push(`${sort}: ${name} → ${next}`);
        explained.add(next);
      } else if (sort === 'part' && leftOut[next ?? name] !== undefined)
        // Left out after it had been joined, it went by its new name.
        out.leftOut.push(`part: ${name} (${leftOut[next ?? name]})`);
      else if (!now.has(name)) out.lost.push(`${sort}: ${name}`);
    }
    for (const name of now) if (!old.has(name) && !explained.has(name)) out.added.push(`${sort}: ${name}`);
  }
  return out;
}
