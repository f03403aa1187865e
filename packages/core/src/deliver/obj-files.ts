import type { Document, Material, Texture } from '@gltf-transform/core';
import { listMorphNames, skeletonOf } from '../character/index.ts';
import { type InputFile, writeObj } from '../formats/index.ts';
import type { Finding } from '../problem.ts';
import { mapsBeside } from './maps-beside.ts';

const number = (x: number): string => String(Math.round(x * 1e6) / 1e6);
const pathOf = (texture: Texture): string => texture.getURI();

/** A figure as it stands, as OBJ with its MTL and maps; joints, morphs and clips have no place in it. */
export function objFiles(document: Document, name: string): { files: InputFile[]; findings: Finding[] } {
  const files = writeObj(document, name, { imagePath: pathOf, materialLines: moreOf });
  return { files: [...files, ...mapsBeside(document, files)], findings: leftOut(document) };
}

/** The physically based keys that several writers and readers share; channels of a packed map by `-imfchan`. */
function moreOf(material: Material): string[] {
  const lines = [`Pr ${number(material.getRoughnessFactor())}`, `Pm ${number(material.getMetallicFactor())}`],
    say = (key: string, texture: Texture | null, options = '') => {
      if (texture) lines.push(`${key} ${options}${pathOf(texture)}`);
    },
    [r, g, b] = material.getEmissiveFactor();
  say('norm', material.getNormalTexture());
  say('map_Pr', material.getMetallicRoughnessTexture(), '-imfchan g ');
  say('map_Pm', material.getMetallicRoughnessTexture(), '-imfchan b ');
  say('map_Ke', material.getEmissiveTexture());
  say('map_AO', material.getOcclusionTexture(), '-imfchan r ');
  if (r > 0 || g > 0 || b > 0) lines.push(`Ke ${[r, g, b].map((c) => number(c ** (1 / 2.2))).join(' ')}`);
  if (material.getAlphaMode() !== 'OPAQUE') say('map_d', material.getBaseColorTexture(), '-imfchan m ');
  return lines;
}

function leftOut(document: Document): Finding[] {
  const root = document.getRoot(),
    found = [
      [skeletonOf(document).joints.length, 'joint', 'joints'],
      [listMorphNames(document).length, 'morph', 'morphs'],
      [root.listAnimations().length, 'clip', 'clips'],
    ] as const,
    parts = found.filter(([n]) => n).map(([n, one, many]) => `${n} ${n === 1 ? one : many}`),
    clear = root.listMaterials().filter((material) => material.getAlphaMode() === 'MASK').length,
    findings: Finding[] = [];
  if (parts.length)
    findings.push({
      code: 'obj.left-out',
      severity: 'warning',
      message: `OBJ holds a figure as it stands: ${parts.join(', ')} are not in it.`,
      measured: parts.length,
      limit: 0,
    });
  if (clear)
    findings.push({
      code: 'obj.cut-outs',
      severity: 'info',
      message: `${clear} ${clear === 1 ? 'material is' : 'materials are'} cut out at a threshold; OBJ knows clearness alone (map_d).`,
      measured: clear,
    });
  return findings;
}
