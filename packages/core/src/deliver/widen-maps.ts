import type { Document, Texture } from '@gltf-transform/core';
import { mapsOf } from '../character/index.ts';
import { type ImageCodec, operationsOf, textureState, widenRoughness } from '../pixels/index.ts';

/** A surface map whose normals are made smaller with it, and those as they were. */
export interface Averaged {
  surface: Texture;
  normal: Texture;
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
      ? [{ surface, normal, normals: image }]
      : [];
  });
}

/**
 * Widens the roughness of a surface map by what averaging its normals lost, without loss: it becomes PNG, quickly written,
 * since it is written once more. What can't be read stays.
 * @returns whether it changed
 */
export async function widenMap(
  { surface, normals }: Pick<Averaged, 'surface' | 'normals'>,
  images: ImageCodec,
): Promise<boolean> {
  const image = surface.getImage();
  if (!images.encode || !image) return false;
  try {
    const before = await images.decode(image),
      after = widenRoughness(before, await images.decode(normals));
    if (after === before) return false;
    const bytes = await images.encode(after, { opaque: true, draft: true });
    surface.setImage(bytes as Uint8Array<ArrayBuffer>).setMimeType('image/png');
    return true;
  } catch {
    // Told already, when it was to be written.
    return false;
  }
}
