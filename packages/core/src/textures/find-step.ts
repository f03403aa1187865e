import type { Material, Texture } from '@gltf-transform/core';
import { keepOwn, ownOf } from '../character/index.ts';
import * as v from 'valibot';
import type { MapChannel } from '../character/index.ts';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { addOperation } from '../pixels/index.ts';
import { NAMED_CHANNELS, type NamedChannel, findMaps, isLoose } from '../maps/index.ts';

const CHANNEL = v.picklist(NAMED_CHANNELS);
/** Put on in this order: what holds more channels wins over what holds one. */
const ORDER: readonly NamedChannel[] = [
  'baseColor',
  'orm',
  'roughness',
  'gloss',
  'normal',
  'occlusion',
  'emissive',
  'opacity',
  'height',
  'bump',
  'specular',
  'metallic',
];
const WORDS: Readonly<Record<NamedChannel, string>> = {
  baseColor: 'colour',
  normal: 'normal',
  roughness: 'roughness',
  gloss: 'gloss',
  metallic: 'metalness',
  occlusion: 'occlusion',
  orm: 'occlusion, roughness and metalness',
  opacity: 'opacity',
  height: 'height',
  bump: 'bump',
  specular: 'specular',
  emissive: 'glow',
};
export const channelWords = (channel: NamedChannel): string => WORDS[channel];

export const findMapsStep = defineStep({
  id: 'intake.find-maps',
  station: 'intake',
  title: 'Maps to their materials',
  needs: ['I4'],
  settings: v.object({
    /** Material name → channel → file, set by hand; an empty file leaves the slot empty. */
    slots: worded(v.optional(v.record(v.string(), v.record(v.string(), v.string())), {}), {
      title: 'Maps',
      names: 'material',
    }),
  }),
  reads: () => null,
  applies: (document) => document.getRoot().listTextures().some(isLoose),
  async run(document, settings) {
    const findings: Finding[] = [];
    const loose = document.getRoot().listTextures().filter(isLoose);
    const wanted: { material: Material; channel: NamedChannel; texture: Texture; why: string }[] = [];
    for (const found of findMaps(document)) {
      if (settings.slots[found.material.getName()]?.[found.channel] === undefined)
        wanted.push({ material: found.material, channel: found.channel, texture: found.texture, why: found.evidence });
    }
    for (const [name, slots] of Object.entries(settings.slots))
      for (const [channel, file] of Object.entries(slots)) {
        const material = document
            .getRoot()
            .listMaterials()
            .find((entry) => entry.getName() === name),
          texture = loose.find((entry) => entry.getURI() === file);
        if (material && texture && v.is(CHANNEL, channel))
          wanted.push({ material, channel, texture, why: 'set by hand' });
        else if (file)
          findings.push({
            code: 'textures.not-there',
            severity: 'warning',
            message: `“${file}” can't be put on “${name}”: ${material ? 'the image did not arrive' : 'there is no such material'}.`,
            where: file,
          });
      }
    wanted.sort((a, b) => ORDER.indexOf(a.channel) - ORDER.indexOf(b.channel));
    let put = 0;
    for (const { material, channel, texture, why } of wanted) {
      if (!putMap(material, channel, texture)) continue;
      put++;
      findings.push({
        code: 'textures.found',
        severity: 'info',
        message: `“${texture.getURI()}” is the ${WORDS[channel]} map of “${material.getName()}”: ${why}.`,
        where: material.getName(),
      });
    }
    const left = loose.filter(isLoose).length;
    if (left)
      findings.push({
        code: 'textures.left',
        severity: 'info',
        message: `${left} images that came along belong to no material by their names and are left out.`,
        measured: left,
      });
    return {
      measures: [measure('maps-placed', 0, put), measure('images-without-a-place', loose.length, left)],
      findings,
    };
  },
});

/** The channel by name that a channel of glTF is nearest to. */
export const channelOfMap = (channel: MapChannel): NamedChannel =>
  channel === 'metallicRoughness'
    ? 'roughness'
    : channel === 'diffuse'
      ? 'baseColor'
      : channel === 'specularGlossiness'
        ? 'gloss'
        : channel === 'emissive' || channel === 'normal' || channel === 'occlusion'
          ? channel
          : channel === 'baseColor'
            ? 'baseColor'
            : 'specular';

/** @returns false where something better is there already */
export function putMap(material: Material, channel: NamedChannel, texture: Texture): boolean {
  switch (channel) {
    case 'baseColor':
      if (material.getBaseColorTexture()) return false;
      material.setBaseColorTexture(texture).setBaseColorFactor([1, 1, 1, material.getBaseColorFactor()[3]]);
      return true;
    case 'normal':
      material.setNormalTexture(texture);
      return true;
    case 'orm':
      material
        .setMetallicRoughnessTexture(texture)
        .setOcclusionTexture(texture)
        .setRoughnessFactor(1)
        .setMetallicFactor(1);
      return true;
    case 'roughness':
      if (material.getMetallicRoughnessTexture()) return false;
      // A grey map has roughness in green, as glTF wants; with no metalness its blue counts for nothing.
      material.setMetallicRoughnessTexture(texture).setRoughnessFactor(1).setMetallicFactor(0);
      return true;
    case 'gloss':
      if (material.getMetallicRoughnessTexture()) return false;
      addOperation(texture, { op: 'invert' });
      material.setMetallicRoughnessTexture(texture).setRoughnessFactor(1).setMetallicFactor(0);
      return true;
    case 'occlusion':
      if (material.getOcclusionTexture()) return false;
      material.setOcclusionTexture(texture);
      return true;
    case 'emissive':
      material.setEmissiveTexture(texture).setEmissiveFactor([1, 1, 1]);
      return true;
    default: {
      // What glTF has no place for waits with the material for the materials station.
      keepOwn(material, 'maps', { ...ownOf(material, 'maps'), [channel]: texture.getName() });
      return true;
    }
  }
}
