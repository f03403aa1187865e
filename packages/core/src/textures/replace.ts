import type { Document, Texture } from '@gltf-transform/core';
import { mapsOf, textureFile } from '../character/index.ts';
import { ProblemError } from '../problem.ts';
import { channelOfMap, putMap } from './find-step.ts';
import { type NamedChannel, findMaps, isLoose, markLoose } from '../maps/index.ts';

export interface NewImage {
  path: string;
  bytes: Uint8Array;
  mimeType: string;
}
export interface Slot {
  material: string;
  channel: NamedChannel;
}
/** What became of images that were brought in again. */
export interface ImagesPlaced {
  /** Images that another one took the place of, wherever they were used. */
  replaced: { file: string; texture: string; uses: Slot[] }[];
  /** Images put where there was none. */
  placed: (Slot & { file: string })[];
  /** Images that are the same as before. */
  same: string[];
  /** Images that belong nowhere by their names; they stay with the character. */
  loose: string[];
}

const stem = (path: string): string =>
  path
    .replace(/^.*\//, '')
    .replace(/\.[^.]+$/, '')
    .toLowerCase();
const equal = (a: Uint8Array | null, b: Uint8Array): boolean =>
  a !== null && a.length === b.length && a.every((byte, i) => byte === b[i]);

/**
 * Brings images in again: onto one slot, or each by its name. An image takes the place of the one it is named like
 * once, and with that everywhere it is used; one that fits nowhere by name waits for its material.
 * @param slot where a single image is meant to go
 * @throws ProblemError textures.no-slot
 */
export function placeImages(document: Document, images: readonly NewImage[], slot?: Slot): ImagesPlaced {
  const out: ImagesPlaced = { replaced: [], placed: [], same: [], loose: [] };
  const root = document.getRoot();
  const usesOf = (texture: Texture): Slot[] =>
    root.listMaterials().flatMap((material) =>
      mapsOf(material)
        .filter((use) => use.texture === texture)
        .map((use) => ({ material: material.getName(), channel: channelOfMap(use.channel) })),
    );
  const swap = (texture: Texture, image: NewImage): void => {
    const file = image.path.replace(/^.*\//, '');
    if (equal(texture.getImage(), image.bytes)) {
      out.same.push(file);
      return;
    }
    const ending = image.mimeType === 'image/jpeg' ? 'jpg' : image.mimeType.slice(6),
      uri = texture.getURI();
    texture
      .setImage(image.bytes as Uint8Array<ArrayBuffer>)
      .setURI(uri ? uri.replace(/\.[^.]+$/, `.${ending}`) : '')
      .setMimeType(image.mimeType);
    out.replaced.push({ file, texture: texture.getName() || uri, uses: usesOf(texture) });
  };
  const fresh = (image: NewImage): Texture =>
    document
      .createTexture(image.path.replace(/^.*\//, '').replace(/\.[^.]+$/, ''))
      .setImage(image.bytes as Uint8Array<ArrayBuffer>)
      .setURI(image.path)
      .setMimeType(image.mimeType);
  if (slot) {
    const material = root.listMaterials().find((entry) => entry.getName() === slot.material),
      [image] = images;
    if (!material || images.length !== 1)
      throw new ProblemError(
        'textures.no-slot',
        material
          ? `One image goes on a place; ${images.length} arrived. Drop several beside the table, and each finds its place by name.`
          : `There is no material “${slot.material}” any more.`,
        slot.material,
      );
    const known = mapsOf(material).find((use) => channelOfMap(use.channel) === slot.channel)?.texture;
    if (known) {
      swap(known, image);
      return out;
    }
    if (!putMap(material, slot.channel, fresh(image)))
      throw new ProblemError(
        'textures.no-slot',
        `“${slot.material}” has something in this place that can't be put beside it.`,
        slot.material,
      );
    out.placed.push({ ...slot, file: image.path.replace(/^.*\//, '') });
    return out;
  }
  const fitting: Texture[] = [];
  for (const image of images) {
    const all = root.listTextures(),
      byName =
        all.find((texture) => stem(textureFile(texture)) === stem(image.path)) ??
        all.find((texture) => texture.getName().toLowerCase() === stem(image.path));
    if (byName) {
      swap(byName, image);
      continue;
    }
    const texture = fresh(image);
    markLoose(texture);
    fitting.push(texture);
  }
  for (const { texture, material, channel } of findMaps(document)) {
    if (fitting.includes(texture) && putMap(material, channel, texture))
      out.placed.push({ material: material.getName(), channel, file: texture.getURI().replace(/^.*\//, '') });
  }
  for (const texture of fitting) if (isLoose(texture)) out.loose.push(texture.getURI().replace(/^.*\//, ''));
  return out;
}
