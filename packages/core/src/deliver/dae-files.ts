import type { Document, Material, Texture } from '@gltf-transform/core';
import { type InputFile, writeCollada } from '../formats/index.ts';
import type { Finding } from '../problem.ts';
import type { Axes } from './in-units.ts';
import { mapsBeside } from './maps-beside.ts';

const pathOf = (texture: Texture): string => texture.getURI();
const number = (x: number): number => Math.round(x * 1e6) / 1e6;
const display = (c: number): number => number(c ** (1 / 2.2));
/** What a reader takes for clear and nobody sees: a material that blends with nothing clear in it. */
const BARELY_CLEAR = 0.9985;

/** A figure, in its unit and with its axis up already, as COLLADA 1.4.1: skin, morphs, joints, clips; its materials as older programs have them, and every map beside it. */
export function daeFiles(
  document: Document,
  name: string,
  { upAxis = 'Y', unitMetres = 1 }: Axes = {},
): { files: InputFile[]; findings: Finding[] } {
  const files = writeCollada(document, name, {
    tool: 'Dimetra',
    profile: 'DIMETRA',
    unitMetres,
    upAxis: `${upAxis}_UP`,
    clips: 'whole',
    imagePath: pathOf,
    before: emissionAndAmbient,
    shading: shine,
    extra: beside,
  });
  return {
    files: [...files, ...mapsBeside(document, files)],
    findings: [...beyondPhong(document), ...played(document)],
  };
}

/** What stands in a profile of our own: others pass over it, and our reader has it back. */
function beside(material: Material, sampler: (texture: Texture) => string): string {
  const bumps = material.getNormalTexture(),
    surface = material.getMetallicRoughnessTexture(),
    said = (name: string, value: number) =>
      `<${name}>${surface ? sampler(surface) : ''}<float>${number(value)}</float></${name}>`;
  return `${bumps ? `<bump bumptype="NORMALMAP">${sampler(bumps)}</bump>` : ''}${said('roughness', material.getRoughnessFactor())}${said('metallic', material.getMetallicFactor())}`;
}

function emissionAndAmbient(material: Material, sampler: (texture: Texture) => string): string {
  const glow = material.getEmissiveTexture(),
    [r, g, b] = material.getEmissiveFactor(),
    shade = material.getOcclusionTexture(),
    emission = glow
      ? `<emission>${sampler(glow)}</emission>`
      : r > 0 || g > 0 || b > 0
        ? `<emission><color>${display(r)} ${display(g)} ${display(b)} 1</color></emission>`
        : '';
  return `${emission}${shade ? `<ambient>${sampler(shade)}</ambient>` : ''}`;
}

function shine(material: Material, sampler: (texture: Texture) => string): string {
  const map = material.getBaseColorTexture(),
    alpha = material.getBaseColorFactor()[3],
    exponent = 2 / Math.max(0.05, material.getRoughnessFactor()) ** 4 - 2,
    specular = `<specular><color>0.2 0.2 0.2 1</color></specular><shininess><float>${Math.max(1.001, number(exponent))}</float></shininess>`;
  if (material.getAlphaMode() === 'OPAQUE') return specular;
  return map
    ? `${specular}<transparent opaque="A_ONE">${sampler(map)}</transparent><transparency><float>${number(alpha)}</float></transparency>`
    : `${specular}<transparent opaque="A_ONE"><color>1 1 1 1</color></transparent><transparency><float>${number(Math.min(alpha, BARELY_CLEAR))}</float></transparency>`;
}

/** What of materials older programs have no place for. */
function beyondPhong(document: Document): Finding[] {
  const materials = document.getRoot().listMaterials(),
    count = (has: (material: Material) => boolean) => materials.filter(has).length,
    lost = (
      [
        [
          'maps of roughness and metalness, which only Dimetra finds',
          count((one) => one.getMetallicRoughnessTexture() !== null),
        ],
        [
          'a tint over a map of colours',
          count((one) => one.getBaseColorTexture() !== null && one.getBaseColorFactor().some((x, k) => k < 3 && x < 1)),
        ],
        ['a cut-out at a threshold, which is blended', count((one) => one.getAlphaMode() === 'MASK')],
        [
          'places of maps',
          count((one) => one.getBaseColorTextureInfo()?.getExtension('KHR_texture_transform') != null),
        ],
      ] as [string, number][]
    ).concat(
      [...new Set(materials.flatMap((one) => one.listExtensions().map((each) => each.extensionName)))].map(
        (extension): [string, number] => [
          extension.replace(/^[A-Z]+_materials_/, ''),
          count((one) => one.getExtension(extension) !== null),
        ],
      ),
    );
  const said = lost.filter(([, n]) => n).map(([what, n]) => `${what} (${n} ${n === 1 ? 'material' : 'materials'})`);
  return said.length
    ? [
        {
          code: 'dae.beyond-phong',
          severity: 'warning',
          message: `COLLADA has materials as older programs do: no place for ${said.join(', ')}. The maps lie beside the model.`,
          measured: said.length,
          limit: 0,
          repair: 'materials.model',
        },
      ]
    : [];
}

/** Clips of morphs have no reader that agrees with another. */
function played(document: Document): Finding[] {
  const clips = document
    .getRoot()
    .listAnimations()
    .filter((clip) => clip.listChannels().some((channel) => channel.getTargetPath() === 'weights'));
  return clips.length
    ? [
        {
          code: 'dae.morph-clips',
          severity: 'warning',
          message: `${clips.map((clip) => `“${clip.getName()}”`).join(', ')} ${clips.length === 1 ? 'plays' : 'play'} morphs; in COLLADA joints alone move.`,
          measured: clips.length,
          limit: 0,
        },
      ]
    : [];
}
