import type { Document } from '@gltf-transform/core';
import {
  copyDocument,
  floatsOf,
  INNER_KINDS,
  listParts,
  morphNamesOf,
  type Part,
  takeOutPart,
  trianglesOf,
} from '../character/index.ts';
import { writeGlb } from '../formats/index.ts';
import { seamPlaces } from '../maps/index.ts';
import { type FigureBody, SEAM_STEPS } from '../targets/index.ts';
import { loopsOfSkin } from './figure-loops.ts';
import { refuseBody } from './refuse.ts';
import { isSkin, skinOf } from '../wrap/index.ts';

/** What goes with a figure's skin: what stands in its sockets and mouth, and what grows at its lids. */
const GOES_WITH: readonly Part['kind'][] = [...INNER_KINDS, 'tear', 'lash'];

/**
 * A figure's body, of a sample that stands upright in metres and sound: its skin and what is in its sockets and mouth, with
 * weights, joints and morphs; without images and clips, which belong to the person.
 * @param hash SHA-256 of bytes, lower-case hex
 * @throws ProblemError fit.body where the sample has no whole skin, no skeleton or no texture places
 */
export async function bodyOfSample(
  sample: Document,
  title: string,
  hash: (bytes: Uint8Array) => string,
): Promise<{ body: FigureBody; bytes: Uint8Array }> {
  const skin = skinOf(sample);
  refuseBody(skin, title);
  const document = copyDocument(sample),
    root = document.getRoot();
  for (const part of listParts(document)) {
    if (!isSkin(part) && !GOES_WITH.includes(part.kind)) {
      takeOutPart(part);
      continue;
    }
    keepMovements(part);
    for (const semantic of part.prim.listSemantics())
      if (/^(TANGENT|COLOR_|_)/.test(semantic)) part.prim.setAttribute(semantic, null);
  }
  for (const clip of root.listAnimations()) clip.dispose();
  for (const texture of root.listTextures()) texture.dispose();
  const parts = listParts(document).filter(isSkin),
    bytes = await writeGlb(document);
  return {
    body: {
      file: hash(bytes),
      bytes: bytes.length,
      loops: loopsOfSkin(skin),
      parts: parts.map((part) => ({
        name: part.name,
        material: part.material?.getName() ?? '',
        vertices: part.vertices,
        triangles: part.triangles,
        layout: layoutOf(part),
        ...seamsOf(part),
      })),
    },
    bytes,
  };
}

/** Its seams, by which maps that were painted for it are known. */
function seamsOf({ prim }: Part): { seams?: number[] } {
  const position = prim.getAttribute('POSITION'),
    uv = prim.getAttribute('TEXCOORD_0');
  if (!position || !uv) return {};
  const places = seamPlaces(floatsOf(position), floatsOf(uv), trianglesOf(prim));
  return places.length ? { seams: Array.from(places, (x) => Math.round(x * SEAM_STEPS)) } : {};
}

/** What a part's morphs move, and no more: not how they turn normals, not what is dialled. */
function keepMovements({ prim, mesh }: Part): void {
  const names = morphNamesOf(mesh);
  for (const target of prim.listTargets())
    for (const semantic of target.listSemantics())
      if (semantic === 'POSITION') target.getAttribute(semantic)?.setSparse(true);
      else target.setAttribute(semantic, null);
  mesh.setExtras(names.length ? { targetNames: names } : {}).setWeights([]);
}

/** Whether all skin of a character has a body's polygons already. */
export function liesOnBody(document: Document, { parts }: FigureBody): boolean {
  const layouts = new Set(parts.map(({ layout }) => layout)),
    own = listParts(document).filter(isSkin);
  return own.length > 0 && own.every((part) => layouts.has(layoutOf(part)));
}

/** What a part's texture places and polygons are told from others by: a number over all of them, whatever their order. */
export function layoutOf({ prim, triangles }: Part): string {
  const accessor = prim.getAttribute('TEXCOORD_0'),
    uv = accessor ? floatsOf(accessor) : new Float32Array(0),
    places = new Set<number>();
  for (let v = 0; v < uv.length; v += 2)
    places.add(Math.round((uv[v] + 64) * FINE) * 2 ** 24 + Math.round((uv[v + 1] + 64) * FINE));
  let a = 0x811c9dc5,
    b = 0x9e3779b9;
  for (const place of [...places].sort((x, y) => x - y)) {
    a = Math.imul(a ^ (place % 2 ** 24), 16_777_619);
    b = Math.imul(b ^ Math.floor(place / 2 ** 24), 0x85ebca6b) ^ (a >>> 13);
  }
  return `${triangles}-${(a >>> 0).toString(16).padStart(8, '0')}${(b >>> 0).toString(16).padStart(8, '0')}`;
}
/** Texture places that differ by less than a thousandth of a map are one. */
const FINE = 1000;
