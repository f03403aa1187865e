import type { Document, Material, Texture } from '@gltf-transform/core';
import { wordsOf } from '../character/kinds.ts';
import { listParts } from '../character/parts.ts';
import { imageName, type NamedChannel } from './naming.ts';

/** An image that no material names, and where it belongs by its name. */
export interface MapFound {
  texture: Texture;
  file: string;
  material: Material;
  channel: NamedChannel;
  /** 0 … 1 */
  confidence: number;
  /** In words, for the user. */
  evidence: string;
}

const LOOSE = 'dimetraLoose';
/** Marks an image that arrived beside the model without being named by it. */
export const markLoose = (texture: Texture): void => { texture.setExtras({ ...texture.getExtras(), [LOOSE]: true }); };
export const isLoose = (texture: Texture): boolean => texture.getExtras()[LOOSE] === true && !texture.listParents().some((parent) => parent.propertyType === 'Material');
/** Textures that some material shows; loose images don't count. */
export const usedTextures = (document: Document): Texture[] => document.getRoot().listTextures().filter((texture) => !isLoose(texture));

/** Textures that something in the document refers to: only these are delivered. */
export const wornTextures = (document: Document): Texture[] => document.getRoot().listTextures().filter((texture) => texture.listParents().some((parent) => parent.propertyType !== 'Root'));

/** Below this a match is not made by itself. */
const LEAST = 0.6;

/**
 * Finds the place of loose images by their names: siblings of a material's colour map first, then words of the
 * material and of the parts that wear it. Each slot gets one image, the best; two as good as each other get none.
 */
export function findMaps(document: Document): MapFound[] {
  const loose = document.getRoot().listTextures().filter(isLoose).map((texture) => ({ texture, file: texture.getURI() || texture.getName(), ...imageName(texture.getURI() || texture.getName()) }));
  if (!loose.length) return [];
  const wearers = new Map<Material, string[]>();
  for (const part of listParts(document)) if (part.material) wearers.set(part.material, [...(wearers.get(part.material) ?? []), ...wordsOf(part.name)]);
  const out: MapFound[] = [];
  for (const material of document.getRoot().listMaterials()) {
    const color = material.getBaseColorTexture();
    const sibling = color ? imageName(color.getURI() || color.getName()) : null;
    const best = new Map<NamedChannel, { found: MapFound; tied: boolean }>();
    for (const { texture, file, base, channel, tile } of loose) {
      if (!channel || has(material, channel)) continue;
      const score = sibling && sameWords(base, sibling.base) && (tile === sibling.tile || tile === null || sibling.tile === null) ? 1 : Math.min(0.85, overlap(base, wordsOf(material.getName()), wearers.get(material) ?? []));
      if (score < LEAST) continue;
      const evidence = score === 1 ? `it has the name of the colour map “${fileName(color)}”` : `its name shares words with the material`;
      const before = best.get(channel);
      if (!before || score > before.found.confidence) best.set(channel, { found: { texture, file, material, channel, confidence: score, evidence }, tied: false });
      else if (score === before.found.confidence) before.tied = true;
    }
    for (const { found, tied } of best.values()) if (!tied) out.push(found);
  }
  return out;
}

const fileName = (texture: Texture | null): string => (texture?.getURI() || texture?.getName() || '').replace(/^.*\//, '');
const sameWords = (a: readonly string[], b: readonly string[]): boolean => a.length > 0 && a.length === b.length && a.every((word) => b.includes(word));

/** Share of the image's words that the material or its wearers have, the rarer side counted. */
function overlap(image: readonly string[], material: readonly string[], wearers: readonly string[]): number {
  if (!image.length) return 0;
  const share = (words: readonly string[]) => (words.length ? image.filter((word) => words.includes(word)).length / Math.max(image.length, new Set(words).size) : 0);
  return Math.max(share(material), share(wearers) * 0.95);
}

function has(material: Material, channel: NamedChannel): boolean {
  switch (channel) {
    case 'baseColor': return material.getBaseColorTexture() !== null;
    case 'normal': return material.getNormalTexture() !== null;
    case 'roughness': case 'gloss': case 'orm': case 'metallic': return material.getMetallicRoughnessTexture() !== null;
    case 'occlusion': return material.getOcclusionTexture() !== null;
    case 'emissive': return material.getEmissiveTexture() !== null;
    default: return (material.getExtras().dimetraMaps as Record<string, string> | undefined)?.[channel] !== undefined;
  }
}
