import type { Document, Material, Texture } from '@gltf-transform/core';
import { isWorn, keepOwn, listParts, ownOf, textureFile, wordsOf } from '../character/index.ts';
import { imageName, type NamedChannel } from './naming.ts';
import { tileOf, tilesOfMaterials } from './tiles.ts';

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

/** Marks an image that arrived beside the model without being named by it. */
export const markLoose = (texture: Texture): void => keepOwn(texture, 'loose', true);
export const isLoose = (texture: Texture): boolean =>
  ownOf(texture, 'loose') === true && !texture.listParents().some((parent) => parent.propertyType === 'Material');
/** Textures that some material shows; loose images don't count. */
export const usedTextures = (document: Document): Texture[] =>
  document
    .getRoot()
    .listTextures()
    .filter((texture) => !isLoose(texture));

/** Textures that something in the document refers to: only these are delivered. */
export const wornTextures = (document: Document): Texture[] => document.getRoot().listTextures().filter(isWorn);

/** Below this a match is not made by itself. */
const LEAST = 0.6;
/** What lying on an image's tile counts, where no other material could be meant. */
const BY_TILE = 0.7;

/**
 * Finds the place of loose images by their names: siblings of a material's colour map first, then words of the
 * material and of the parts that wear it, then the tile that both are of. Each slot gets one image, the best; two as
 * good as each other get none.
 */
export function findMaps(document: Document): MapFound[] {
  const loose = document
    .getRoot()
    .listTextures()
    .filter(isLoose)
    .map((texture) => ({
      texture,
      file: textureFile(texture),
      ...imageName(textureFile(texture)),
    }));
  if (!loose.length) return [];
  const wearers = new Map<Material, string[]>();
  for (const part of listParts(document))
    if (part.material) wearers.set(part.material, [...(wearers.get(part.material) ?? []), ...wordsOf(part.name)]);
  const out: MapFound[] = [],
    onTile = loose.some((image) => image.tile !== null) ? meantByTile(document) : new Map<Material, OnTile>();
  for (const material of document.getRoot().listMaterials()) {
    const own = onTile.get(material);
    const color = material.getBaseColorTexture();
    const sibling = color ? imageName(textureFile(color)) : null;
    const best = new Map<NamedChannel, { found: MapFound; tied: boolean }>();
    for (const { texture, file, base, channel, tile } of loose) {
      if (!channel || has(material, channel)) continue;
      // What is painted for another tile is never meant, whatever it is called.
      if (tile !== null && own && own.tile !== tile) continue;
      const byName =
        sibling && sameWords(base, sibling.base) && (tile === sibling.tile || tile === null || sibling.tile === null)
          ? 1
          : Math.min(0.85, overlap(base, wordsOf(material.getName()), wearers.get(material) ?? []));
      const score = tile !== null && own?.meant && byName < BY_TILE ? BY_TILE : byName;
      if (score < LEAST) continue;
      const evidence =
        score === 1
          ? `it has the name of the colour map “${fileName(color)}”`
          : score > byName
            ? `both are of tile ${tile}`
            : `its name shares words with the material`;
      const before = best.get(channel);
      if (!before || score > before.found.confidence)
        best.set(channel, { found: { texture, file, material, channel, confidence: score, evidence }, tied: false });
      else if (score === before.found.confidence) before.tied = true;
    }
    for (const { found, tied } of best.values()) if (!tied) out.push(found);
  }
  return out;
}

interface OnTile {
  tile: number /** Nobody else is: an image for this tile is for this material, whatever it is called. */;
  meant: boolean;
}

/** Materials that lie on one tile. Of several on the same, what is skin is meant where nothing else is. */
function meantByTile(document: Document): Map<Material, OnTile> {
  const tiles = new Map(
    [...tilesOfMaterials(document)].flatMap(([material, counts]) => {
      const tile = tileOf(counts);
      return tile ? [[material, tile] as const] : [];
    }),
  );
  const skin = new Set(
    listParts(document).flatMap((part) =>
      part.material && (part.kind === 'skin' || part.kind === 'lips') ? [part.material] : [],
    ),
  );
  return new Map(
    [...tiles].map(([material, tile]) => {
      const others = [...tiles].filter(([other, on]) => other !== material && on === tile).map(([other]) => other);
      return [material, { tile, meant: others.every((other) => skin.has(material) && !skin.has(other)) }];
    }),
  );
}

const fileName = (texture: Texture | null): string => (texture ? textureFile(texture) : '').replace(/^.*\//, '');
const sameWords = (a: readonly string[], b: readonly string[]): boolean =>
  a.length > 0 && a.length === b.length && a.every((word) => b.includes(word));

/** Share of the image's words that the material or its wearers have, the rarer side counted. */
function overlap(image: readonly string[], material: readonly string[], wearers: readonly string[]): number {
  if (!image.length) return 0;
  const share = (words: readonly string[]) =>
    words.length
      ? image.filter((word) => words.includes(word)).length / Math.max(image.length, new Set(words).size)
      : 0;
  return Math.max(share(material), share(wearers) * 0.95);
}

function has(material: Material, channel: NamedChannel): boolean {
  switch (channel) {
    case 'baseColor':
      return material.getBaseColorTexture() !== null;
    case 'normal':
      return material.getNormalTexture() !== null;
    case 'roughness':
    case 'gloss':
    case 'orm':
    case 'metallic':
      return material.getMetallicRoughnessTexture() !== null;
    case 'occlusion':
      return material.getOcclusionTexture() !== null;
    case 'emissive':
      return material.getEmissiveTexture() !== null;
    default:
      return ownOf(material, 'maps')?.[channel] !== undefined;
  }
}
