import type { Document } from '@gltf-transform/core';
import { type InputFile, type UsdLevel, writeUsd, writeUsdz } from '../formats/index.ts';
import type { Finding } from '../problem.ts';
import type { Axes } from './in-units.ts';

/** Material extensions that a preview surface holds; the others have no place in it. */
const HELD: readonly string[] = ['KHR_materials_clearcoat', 'KHR_materials_ior'];
/** Pictures that every reader of the format opens (USDZ specification, file types). */
const OPENED: readonly string[] = ['image/png', 'image/jpeg'];

/** A figure as one text layer of USD with its images, or both packed as .usdz; and what of it the format has no place for. */
export function usdFiles(
  document: Document,
  name: string,
  format: 'usda' | 'usdz',
  { upAxis = 'Y', unitMetres = 1 }: Axes = {},
  levels: readonly UsdLevel[] = [],
): { files: InputFile[]; findings: Finding[] } {
  const files =
    format === 'usdz'
      ? [
          {
            path: `${name}.usdz`,
            bytes: writeUsdz(document, name, { upAxis, unitMetres, levels }) as Uint8Array<ArrayBuffer>,
          },
        ]
      : writeUsd(document, name, { upAxis, unitMetres, levels, imagePath: (texture) => texture.getURI() });
  return { files, findings: [...beyondSurface(document), ...closedImages(document), ...otherClips(document)] };
}

function beyondSurface(document: Document): Finding[] {
  const lost = new Map<string, number>();
  for (const material of document.getRoot().listMaterials())
    for (const { extensionName } of material.listExtensions())
      if (!HELD.includes(extensionName)) lost.set(extensionName, (lost.get(extensionName) ?? 0) + 1);
  return lost.size
    ? [
        {
          code: 'usd.beyond-surface',
          severity: 'warning',
          message: `A preview surface of USD has no place for ${[...lost].map(([extension, n]) => `${extension.replace(/^[A-Z]+_materials_/, '')} (${n} ${n === 1 ? 'material' : 'materials'})`).join(', ')}. Say in the target that it is not understood, and it is folded in as far as that goes.`,
          measured: lost.size,
          limit: 0,
          repair: 'materials.model',
        },
      ]
    : [];
}

function closedImages(document: Document): Finding[] {
  const closed = document
    .getRoot()
    .listTextures()
    .filter((texture) => !OPENED.includes(texture.getMimeType()));
  return closed.length
    ? [
        {
          code: 'usd.images',
          severity: 'warning',
          message: `${closed.length} of the maps are neither PNG nor JPEG: not every reader of USD opens them. Allow those two formats alone in the target.`,
          measured: closed.length,
          limit: 0,
          repair: 'textures.fit',
        },
      ]
    : [];
}

/** A skeleton has one clip bound at a time. */
function otherClips(document: Document): Finding[] {
  const [first, ...others] = document.getRoot().listAnimations();
  return others.length
    ? [
        {
          code: 'usd.clips',
          severity: 'info',
          message: `“${first.getName()}” is bound to the skeleton; ${others.map((clip) => `“${clip.getName()}”`).join(', ')} ${others.length === 1 ? 'lies' : 'lie'} beside it, to be bound where ${others.length === 1 ? 'it is' : 'they are'} wanted.`,
          measured: others.length,
        },
      ]
    : [];
}
