import type { Material } from '@gltf-transform/core';
import {
  type Anisotropy,
  type Clearcoat,
  type IOR,
  KHRMaterialsAnisotropy,
  KHRMaterialsClearcoat,
  KHRMaterialsIOR,
  KHRMaterialsSheen,
  KHRMaterialsSpecular,
  type Sheen,
  type Specular,
} from '@gltf-transform/extensions';
import { keepOwn, ownOf } from '../character/index.ts';
import { LINEAR } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { ONE_WAY } from './strands.ts';
import type { TreatmentChannels } from './treatment.ts';

/** What glTF has no place for is kept by name: the stage shows it, MaterialX and manifest carry it. @returns what it was */
export function beyondGltf(material: Material, { secondHighlight, lightThrough }: TreatmentChannels): string[] {
  if (!secondHighlight && !lightThrough) return [];
  keepOwn(material, 'beyond', {
    ...ownOf(material, 'beyond'),
    ...(secondHighlight && {
      second_highlight: secondHighlight.strength,
      second_highlight_color: linearOf(secondHighlight.color),
      second_highlight_degrees: secondHighlight.degrees,
    }),
    ...(lightThrough && {
      light_through: lightThrough.strength,
      light_through_color: linearOf(lightThrough.color),
    }),
  });
  return [...(secondHighlight ? ['second highlight'] : []), ...(lightThrough ? ['light from behind'] : [])];
}

const linearOf = (rgb: readonly number[]): [number, number, number] =>
  rgb.map((value) => LINEAR[Math.round(value * 255)]) as [number, number, number];

/** What ratified extensions carry; of one that is there already only what is said changes. */
export async function extend(work: DerivedMaps, material: Material, channels: TreatmentChannels): Promise<string[]> {
  const changed: string[] = [];
  if (channels.specular) {
    const specular =
      material.getExtension<Specular>('KHR_materials_specular') ??
      work.extension(KHRMaterialsSpecular).createSpecular();
    specular.setSpecularFactor(channels.specular.strength);
    if (channels.specular.color) specular.setSpecularColorFactor(linearOf(channels.specular.color));
    material.setExtension('KHR_materials_specular', specular);
    changed.push('reflection');
  }
  if (channels.ior !== undefined) {
    const ior = material.getExtension<IOR>('KHR_materials_ior') ?? work.extension(KHRMaterialsIOR).createIOR();
    material.setExtension('KHR_materials_ior', ior.setIOR(channels.ior));
    changed.push('refraction');
  }
  if (channels.clearcoat) {
    const coat =
      material.getExtension<Clearcoat>('KHR_materials_clearcoat') ??
      work.extension(KHRMaterialsClearcoat).createClearcoat();
    coat.setClearcoatFactor(channels.clearcoat.strength).setClearcoatRoughnessFactor(channels.clearcoat.roughness);
    material.setExtension('KHR_materials_clearcoat', coat);
    changed.push('clear coat');
  }
  if (channels.sheen) {
    const sheen =
      material.getExtension<Sheen>('KHR_materials_sheen') ?? work.extension(KHRMaterialsSheen).createSheen();
    sheen.setSheenColorFactor(linearOf(channels.sheen.color)).setSheenRoughnessFactor(channels.sheen.roughness);
    material.setExtension('KHR_materials_sheen', sheen);
    changed.push('sheen');
  }
  const turn = channels.anisotropy && (await turnOfHighlights(work, material, channels.anisotropy));
  if (channels.anisotropy && turn !== undefined && turn !== null) {
    const brushed =
      material.getExtension<Anisotropy>('KHR_materials_anisotropy') ??
      work.extension(KHRMaterialsAnisotropy).createAnisotropy();
    brushed.setAnisotropyStrength(channels.anisotropy.strength).setAnisotropyRotation((turn * Math.PI) / 180);
    material.setExtension('KHR_materials_anisotropy', brushed);
    changed.push('direction of highlights');
  }
  return changed;
}

/** Degrees from u in which a surface is roughest; null where it should lie across strands that run every way. */
async function turnOfHighlights(
  work: DerivedMaps,
  material: Material,
  { degrees, acrossStrands }: NonNullable<TreatmentChannels['anisotropy']>,
): Promise<number | null> {
  if (!acrossStrands) return degrees;
  const found = await work.strands(material);
  // A hair is a cylinder: its normals fan out across it (KHR_materials_anisotropy stretches highlights along the direction).
  return found && found.coherence >= ONE_WAY ? (found.degrees + 90 + degrees) % 360 : null;
}
