import type { Document, Texture } from '@gltf-transform/core';
import { mapsOf } from '../character/index.ts';
import { type ImageCodec, operationsOf, widenRoughness } from '../pixels/index.ts';

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
      own = operationsOf(surface).find((operation) => operation.op === 'resize') ?? sizeOf(surface);
    return image && smaller && own && own.width >= smaller.width && own.height >= smaller.height
      ? [{ surface, normals: image }]
      : [];
  });
}

function sizeOf(texture: Texture): { width: number; height: number } | null {
  try {
    const size = texture.getSize();
    return size && { width: size[0], height: size[1] };
  } catch {
    return null;
  }
}

/** Widens the roughness of written surface maps by what averaging their normals lost; what can't be read stays. */
export async function widenMaps(averaged: readonly Averaged[], images: ImageCodec): Promise<void> {
  const { encode } = images;
  if (!encode) return;
  for (const { surface, normals } of averaged) {
    const image = surface.getImage(),
      mimeType = surface.getMimeType() as 'image/png' | 'image/jpeg' | 'image/webp';
    if (!image) continue;
    try {
      const before = await images.decode(image),
        after = widenRoughness(before, await images.decode(normals));
      if (after === before) continue;
      const bytes = await encode(after, { mimeType, quality: 90, opaque: true });
      surface.setImage(bytes as Uint8Array<ArrayBuffer>);
    } catch {
      // Told already, when it was to be written.
    }
  }
}
