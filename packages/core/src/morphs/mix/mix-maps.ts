import type { Texture } from '@gltf-transform/core';
import { encoded } from '../../formats/index.ts';
import { between, type ImageCodec, OpenedOnce } from '../../pixels/index.ts';
import { drawnShares, mixedPixels } from './mix-pixels.ts';
import type { PreparedMix } from './prepare.ts';
import type { SheetMatch } from './sheet-match.ts';
import type { SkinMesh } from './skin-mesh.ts';
import type { Sheet } from '../standing.ts';

/** Kinds of surface whose colour mixes. */
const COLOURED: readonly string[] = ['skin', 'lips', 'scalp', 'nail'];
const QUALITY = 95;

export interface MapsMixed {
  textures: string[];
  /** Why others were left, with the texture. */
  left: { texture: string; why: 'layout' | 'unreadable' | 'none' }[];
}

interface Worn {
  sheet: Sheet;
  /** By other figure. */
  matches: (SheetMatch | null)[];
  index: number;
}

/**
 * Mixes the colours of the skin in linear light: by the shares at each place, or all of it by their mean over the skin, since
 * one person has one colour. Only where the others' texture layout is the
 * same: the colour of one place is then that of the same place. Changes the textures of the own figure's document.
 */
export async function mixMaps(
  { own, others, skin }: PreparedMix,
  shares: readonly Float32Array[],
  images: ImageCodec,
  byRegion: boolean,
  stop: () => void = () => {},
): Promise<MapsMixed> {
  const out: MapsMixed = { textures: [], left: [] },
    opened = new OpenedOnce(images),
    whole = shares.map((share) => meanShare(skin, share)),
    worn = new Map<Texture, Worn[]>();
  own.sheets.forEach((sheet, index) => {
    const texture = sheet.part.material?.getBaseColorTexture();
    if (!texture || !COLOURED.includes(sheet.part.kind)) return;
    const list = worn.get(texture) ?? [];
    worn.set(texture, list);
    list.push({ sheet, index, matches: others.map(({ matches }) => matches[index]) });
  });
  for (const [texture, sheets] of worn) {
    stop();
    const name = texture.getName() || texture.getURI(),
      theirs = others.map((_, k) => theirTexture(sheets, k)),
      used = theirs.map(
        (their, k) =>
          their !== null && (byRegion ? sheets.some(({ sheet }) => hasShare(sheet, shares[k])) : whole[k] > 1e-3),
      );
    if (!used.some(Boolean)) {
      if (sheets.some(({ sheet }) => shares.some((share) => hasShare(sheet, share))))
        out.left.push({ texture: name, why: 'none' });
      continue;
    }
    if (sheets.some(({ matches }) => matches.some((match, k) => used[k] && match && match.by === 'surface'))) {
      out.left.push({ texture: name, why: 'layout' });
      continue;
    }
    const base = await opened.of(texture),
      pictures = await Promise.all(theirs.map((their, k) => (used[k] && their ? opened.of(their) : null)));
    if (!base || pictures.some((picture, k) => used[k] && !picture)) {
      out.left.push({ texture: name, why: 'unreadable' });
      continue;
    }
    const drawn = byRegion
        ? shares.map((share) =>
            drawnShares(
              sheets.map(({ sheet }) => sheet),
              share,
            ),
          )
        : null,
      mixed = mixedPixels(base, pictures, (k, u, v) => (drawn ? between(drawn[k], u, v, 0) / 255 : whole[k])),
      mime = texture.getMimeType() === 'image/jpeg' ? 'image/jpeg' : 'image/png';
    texture
      .setImage(await encoded(images, mixed, { mimeType: mime, quality: QUALITY, opaque: mime === 'image/jpeg' }))
      .setMimeType(mime);
    const uri = texture.getURI();
    if (uri) texture.setURI(uri.replace(/\.[^.]+$/, mime === 'image/jpeg' ? '.jpg' : '.png'));
    out.textures.push(name);
  }
  return out;
}

/** Mean of a share over the skin, by area. */
function meanShare({ vertexOf, mass }: SkinMesh, share: Float32Array): number {
  let sum = 0,
    area = 0;
  for (let i = 0; i < mass.length; i++) {
    sum += mass[i] * share[vertexOf[i]];
    area += mass[i];
  }
  return area > 0 ? sum / area : 0;
}

const theirTexture = (sheets: readonly Worn[], k: number): Texture | null =>
  sheets.map(({ matches }) => matches[k]?.other.part.material?.getBaseColorTexture() ?? null).find(Boolean) ?? null;
const hasShare = ({ first, vertices }: Sheet, share: Float32Array): boolean =>
  share.subarray(first, first + vertices).some((value) => value > 1e-3);
