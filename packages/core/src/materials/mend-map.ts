import type { Document, Material, Texture } from '@gltf-transform/core';
import type { Clearcoat } from '@gltf-transform/extensions';
import { isWorn, kindsOf, type MapChannel, mapsOf, METAL_KINDS } from '../character/index.ts';
import type { MapFault, SurfaceLayout } from '../maps/index.ts';
import {
  encodedCurve,
  inverted,
  LINEAR,
  linearCurve,
  packOrdered,
  type Pixels,
  recoded,
  withThird,
} from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { normalsOfBump } from './place-heights.ts';

/** Puts one map right, everywhere it is read the same way. @returns whether anything changed */
export async function mendMap(
  document: Document,
  work: DerivedMaps,
  fault: MapFault,
  bumpMm: number,
): Promise<boolean> {
  const texture = work.latest(fault.texture),
    { material, channel } = fault;
  if (fault.code === 'textures.grey-surface') return readAsRoughness(document, texture);
  if (fault.code === 'textures.constant') return becomeFactor(document, work, texture, channel);
  const pixels = await work.pixels(texture);
  if (!pixels) return false;
  const put = (fresh: Texture): boolean => {
      work.replaces(fault.texture, fresh);
      replaceMap(document, texture, fresh, channel);
      return true;
    },
    make = (what: string, change: () => Pixels): boolean => put(work.image(texture, what, '', change));
  switch (fault.code) {
    case 'textures.green-down':
      return make('green-up', () => inverted(pixels, [1]));
    case 'textures.gloss-as-roughness':
      return make('roughness', () => inverted(pixels, [1]));
    case 'textures.normal-curve':
      return make('normal', () => recoded(pixels, fault.holding === 'normal-encoded' ? linearCurve : encodedCurve));
    case 'textures.normal-third':
      return make('normal', () => withThird(pixels, fault.holding === 'normal-alpha'));
    case 'textures.colour-linear':
      return make('color', () => recoded(pixels, encodedCurve));
    case 'textures.data-curve':
      return make('surface', () => recoded(pixels, linearCurve));
    case 'textures.bump-as-normal': {
      if (!(bumpMm > 0)) return false;
      const set = material.getNormalTextureInfo()?.getTexCoord() ?? 0;
      return put(normalsOfBump(work, texture, pixels, work.laidOut(material, set), bumpMm));
    }
    case 'textures.channel-order': {
      const { layout = {} } = fault,
        made = make('surface', () => packOrdered(pixels, layout));
      if (layout.occlusion) occlude(document, work.latest(fault.texture));
      if (layout.metalness) fullMetalness(document, work.latest(fault.texture), layout);
      return made;
    }
    default:
      return false;
  }
}

type Put = (material: Material, texture: Texture) => unknown;
const PUT: Partial<Record<MapChannel, Put>> = {
  baseColor: (material, texture) => material.setBaseColorTexture(texture),
  normal: (material, texture) => material.setNormalTexture(texture),
  clearcoatNormal: (material, texture) =>
    material.getExtension<Clearcoat>('KHR_materials_clearcoat')?.setClearcoatNormalTexture(texture),
  metallicRoughness: (material, texture) => material.setMetallicRoughnessTexture(texture),
  occlusion: (material, texture) => material.setOcclusionTexture(texture),
};
/** Channels that one image serves change together: what is made of it serves them too, and nothing is delivered twice. */
const TOGETHER: readonly (readonly MapChannel[])[] = [
  ['normal', 'clearcoatNormal'],
  ['metallicRoughness', 'occlusion'],
];

/** Puts a map in another's place; one that nothing uses any more goes. */
export function replaceMap(document: Document, old: Texture, fresh: Texture, channel: MapChannel): void {
  const channels = TOGETHER.find((group) => group.includes(channel)) ?? [channel];
  for (const material of document.getRoot().listMaterials())
    for (const use of mapsOf(material))
      if (use.texture === old && channels.includes(use.channel)) PUT[use.channel]?.(material, fresh);
  if (!isWorn(old)) old.dispose();
}

const wearing = (document: Document, texture: Texture, channel: string): Material[] =>
  document
    .getRoot()
    .listMaterials()
    .filter((material) => mapsOf(material).some((use) => use.texture === texture && use.channel === channel));

/** One grey picture for both: it says how rough, and that nothing is metal. */
function readAsRoughness(document: Document, texture: Texture): boolean {
  const kindOf = kindsOf(document);
  let changed = false;
  for (const material of wearing(document, texture, 'metallicRoughness')) {
    if (METAL_KINDS.includes(kindOf(material)) || material.getMetallicFactor() === 0) continue;
    material.setMetallicFactor(0);
    changed = true;
  }
  return changed;
}

/** Occlusion that came with the surface is used where the material has none of its own. */
function occlude(document: Document, texture: Texture): void {
  for (const material of wearing(document, texture, 'metallicRoughness')) {
    if (material.getOcclusionTexture()) continue;
    material.setOcclusionTexture(texture);
    const from = material.getMetallicRoughnessTextureInfo(),
      to = material.getOcclusionTextureInfo();
    if (from && to) to.copy(from);
  }
}

/** A map speaks through its factors: none of them may silence it. */
function fullMetalness(document: Document, texture: Texture, layout: SurfaceLayout): void {
  for (const material of wearing(document, texture, 'metallicRoughness')) {
    material.setMetallicFactor(1);
    if (layout.roughness || layout.gloss) material.setRoughnessFactor(1);
  }
}

/** A map of one value becomes a factor, to the same picture; where a channel has no factor to take it up, the map stays. */
async function becomeFactor(
  document: Document,
  work: DerivedMaps,
  texture: Texture,
  channel: string,
): Promise<boolean> {
  const pixels = await work.pixels(texture);
  if (!pixels?.data.length) return false;
  const value = [0, 1, 2, 3].map((k) => meanOf(pixels, k));
  let changed = false;
  for (const material of wearing(document, texture, channel)) changed = FOLD[channel]?.(material, value) || changed;
  if (!isWorn(texture)) texture.dispose();
  return changed;
}

const FOLD: Record<string, (material: Material, value: readonly number[]) => boolean> = {
  baseColor(material, [r, g, b, a]) {
    const [x, y, z, alpha] = material.getBaseColorFactor();
    material
      .setBaseColorFactor([x * linear(r), y * linear(g), z * linear(b), (alpha * a) / 255])
      .setBaseColorTexture(null);
    return true;
  },
  metallicRoughness(material, [, green, blue]) {
    material
      .setRoughnessFactor((material.getRoughnessFactor() * green) / 255)
      .setMetallicFactor((material.getMetallicFactor() * blue) / 255)
      .setMetallicRoughnessTexture(null);
    return true;
  },
  normal(material, value) {
    // Only level is nothing; a tilt all over has no factor.
    if (!level(value)) return false;
    material.setNormalTexture(null);
    return true;
  },
  occlusion(material, [red]) {
    if (red < 254) return false;
    material.setOcclusionTexture(null);
    return true;
  },
  emissive(material, [r, g, b]) {
    const [x, y, z] = material.getEmissiveFactor();
    material.setEmissiveFactor([x * linear(r), y * linear(g), z * linear(b)]).setEmissiveTexture(null);
    return true;
  },
};
const level = ([x, y, z]: readonly number[]): boolean => Math.abs(x - 127.5) < 2 && Math.abs(y - 127.5) < 2 && z > 250;
const linear = (byte: number): number => LINEAR[Math.round(byte)];

function meanOf({ data }: Pixels, channel: number): number {
  let sum = 0;
  for (let i = channel; i < data.length; i += 4) sum += data[i];
  return sum / (data.length / 4);
}
