import type { Document, Texture } from '@gltf-transform/core';
import { mapsOf } from '../character/index.ts';
import { type ImageCodec, operationsOf, textureState, widenRoughness } from '../pixels/index.ts';

/** A surface map whose normals are made smaller with it, and those as they were. */
export interface Averaged {
  surface: Texture;
  normals: Uint8Array;
}

/**
 * Surface maps that every wearer has beside one and the same normal map on the same texture places, which is to be made
 * smaller, and no smaller than the surface map. Asked before anything is written.
 */
export function averagedNormals(document: Document): Averaged[] {
  const found = new Map<Texture, Texture | null>();
  for (const material of document.getRoot().listMaterials()) {
    const uses = mapsOf(material),
      surface = uses.find(({ channel }) => channel === 'metallicRoughness'),
      normal = uses.find(({ channel }) => channel === 'normal');
    if (!surface) continue;
    const alike =
      normal &&
      normal.texture !== surface.texture &&
      normal.info?.getTexCoord() === surface.info?.getTexCoord() &&
      !normal.info?.getExtension('KHR_texture_transform') &&
      !surface.info?.getExtension('KHR_texture_transform');
    const known = found.get(surface.texture);
    found.set(surface.texture, alike && (known === undefined || known === normal.texture) ? normal.texture : null);
  }
  return [...found].flatMap(([surface, normal]): Averaged[] => {
    const image = normal?.getImage(),
      smaller = normal && operationsOf(normal).find((operation) => operation.op === 'resize'),
      own = textureState(surface);
    return image && smaller && own.width >= smaller.width && own.height >= smaller.height
      ? [{ surface, normals: image }]
      : [];
  });
}

/**
 * Widens the roughness of surface maps by what averaging their normals lost, without loss: they become PNG. What can't be
 * read stays.
 * @returns those that changed
 */
export async function widenMaps(averaged: readonly Averaged[], images: ImageCodec): Promise<Set<Texture>> {
  const widened = new Set<Texture>(),
    { encode } = images;
  if (!encode) return widened;
  for (const { surface, normals } of averaged) {
    const image = surface.getImage();
    if (!image) continue;
    try {
      const before = await images.decode(image),
        after = widenRoughness(before, await images.decode(normals));
      if (after === before) continue;
      surface.setImage((await encode(after, { opaque: true })) as Uint8Array<ArrayBuffer>).setMimeType('image/png');
      widened.add(surface);
    } catch {
      // Told already, when it was to be written.
    }
  }
  return widened;
}
