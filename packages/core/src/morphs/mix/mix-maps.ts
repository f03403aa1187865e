import type { Texture } from '@gltf-transform/core';
import { floatsOf, trianglesOf } from '../../character/index.ts';
import { encoded } from '../../formats/index.ts';
import {
  between,
  bleedOutward,
  encodedByte,
  type ImageCodec,
  LINEAR,
  OpenedOnce,
  type Pixels,
} from '../../pixels/index.ts';
import type { MixBench } from './bench.ts';
import type { SheetMatch } from './sheet-match.ts';
import type { Sheet } from '../standing.ts';

/** Kinds of surface whose colour mixes. */
const COLOURED: readonly string[] = ['skin', 'lips', 'scalp', 'nail'];
/** Shares are drawn this large at most: they are smooth. */
const SHARES = 512;
const QUALITY = 0.95;

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
 * Mixes the colours of the skin by the shares at each place, in linear light. Only where the others' texture layout is the
 * same: the colour of one place is then that of the same place. Changes the textures of the own figure's document.
 */
export async function mixMaps(
  { own, others }: MixBench,
  shares: readonly Float32Array[],
  images: ImageCodec,
  stop: () => void = () => {},
): Promise<MapsMixed> {
  const out: MapsMixed = { textures: [], left: [] },
    opened = new OpenedOnce(images),
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
      used = theirs.map((their, k) => their && sheets.some(({ sheet }) => hasShare(sheet, shares[k])));
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
    const mixed = mixedPixels(
        base,
        pictures,
        shares.map((share) => drawnShares(sheets, share)),
      ),
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

const theirTexture = (sheets: readonly Worn[], k: number): Texture | null =>
  sheets.map(({ matches }) => matches[k]?.other.part.material?.getBaseColorTexture() ?? null).find(Boolean) ?? null;
const hasShare = ({ first, vertices }: Sheet, share: Float32Array): boolean =>
  share.subarray(first, first + vertices).some((value) => value > 1e-3);

/** Shares of one figure over texture space, 0 … 255, carried outward from the islands. */
function drawnShares(sheets: readonly Worn[], share: Float32Array): Pixels {
  const size = SHARES,
    data = new Uint8Array(size * size * 4),
    known = new Uint8Array(size * size);
  for (const { sheet } of sheets) {
    const places = sheet.part.prim.getAttribute('TEXCOORD_0');
    if (places)
      drawTriangles(data, known, size, floatsOf(places), trianglesOf(sheet.part.prim), share.subarray(sheet.first));
  }
  bleedOutward(data, size, size, 4, known, size, 1);
  return { width: size, height: size, data };
}

function drawTriangles(
  data: Uint8Array,
  known: Uint8Array,
  size: number,
  uv: Float32Array,
  indices: Uint32Array,
  share: Float32Array,
): void {
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t], indices[t + 1], indices[t + 2]],
      [ax, ay, bx, by, cx, cy] = [a, b, c].flatMap((v) => [uv[v * 2] * size, uv[v * 2 + 1] * size]),
      det = (bx - ax) * (cy - ay) - (by - ay) * (cx - ax);
    if (!det) continue;
    const y1 = Math.min(size - 1, Math.floor(Math.max(ay, by, cy))),
      x1 = Math.min(size - 1, Math.floor(Math.max(ax, bx, cx)));
    for (let y = Math.max(0, Math.floor(Math.min(ay, by, cy))); y <= y1; y++)
      for (let x = Math.max(0, Math.floor(Math.min(ax, bx, cx))); x <= x1; x++) {
        const px = x + 0.5 - ax,
          py = y + 0.5 - ay,
          v = (px * (cy - ay) - py * (cx - ax)) / det,
          w = ((bx - ax) * py - (by - ay) * px) / det;
        if (v < -1e-6 || w < -1e-6 || v + w > 1 + 1e-6) continue;
        data[(y * size + x) * 4] = Math.round(255 * (share[a] * (1 - v - w) + share[b] * v + share[c] * w));
        known[y * size + x] = 1;
      }
  }
}

function mixedPixels(base: Pixels, pictures: readonly (Pixels | null)[], drawn: readonly Pixels[]): Pixels {
  const { width, height } = base,
    data = base.data.slice();
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * 4,
        [u, v] = [(x + 0.5) / width, (y + 0.5) / height];
      let left = 1,
        [r, g, b] = [0, 0, 0];
      pictures.forEach((picture, k) => {
        if (!picture) return;
        const w = Math.min(left, between(drawn[k], u, v, 0) / 255);
        if (!(w > 0)) return;
        left -= w;
        r += w * light(picture, u, v, 0);
        g += w * light(picture, u, v, 1);
        b += w * light(picture, u, v, 2);
      });
      if (left === 1) continue;
      data[o] = encodedByte(r + left * LINEAR[data[o]]);
      data[o + 1] = encodedByte(g + left * LINEAR[data[o + 1]]);
      data[o + 2] = encodedByte(b + left * LINEAR[data[o + 2]]);
    }
  return { width, height, data };
}

const light = (picture: Pixels, u: number, v: number, channel: number): number =>
  LINEAR[Math.round(between(picture, u, v, channel))];
