import type { Material } from '@gltf-transform/core';
import type { DerivedMaps } from './derived-maps.ts';
import { recolor, takeOutHighlight } from './treat-color.ts';
import { beyondGltf, extend } from './treat-extensions.ts';
import { shade } from './treat-shade.ts';
import type { Treatment, TreatmentChannels } from './treatment.ts';

type Held = NonNullable<TreatmentChannels['roughness']>;
/** A value within what a treatment says. */
const held = (value: number, { times = 1, least = 0, most = 1 }: Held): number =>
  Math.max(least, Math.min(Math.max(least, most), value * times));

/** Gives a material a treatment: only the channels that it names. @returns those that it changed */
export async function treat(work: DerivedMaps, material: Material, { channels }: Treatment): Promise<string[]> {
  const changed: string[] = [];
  if (await holdSurface(work, material, channels)) changed.push('surface');
  if (channels.normal && channels.normal.times !== 1 && material.getNormalTexture()) {
    material.setNormalScale(material.getNormalScale() * channels.normal.times);
    changed.push('normals');
  }
  if (channels.color?.noHighlight && (await takeOutHighlight(work, material)))
    changed.push('a painted highlight taken out');
  if (channels.color && (await recolor(work, material, channels.color))) changed.push('colour');
  if (channels.shade && (await shade(work, material, channels.shade))) changed.push('shade of what is around');
  return [...changed, ...(await extend(work, material, channels)), ...beyondGltf(material, channels)];
}

/** A share of texels that nobody would make another image for. */
const SPECKS = 0.001;

/** Roughness and metalness held within bounds, in the map where there is one; a map in which nothing changes stays. */
async function holdSurface(work: DerivedMaps, material: Material, channels: TreatmentChannels): Promise<boolean> {
  const { roughness, metalness } = channels;
  if (!roughness && !metalness) return false;
  const rough = material.getRoughnessFactor(),
    metal = material.getMetallicFactor(),
    texture = material.getMetallicRoughnessTexture(),
    pixels = texture && (await work.pixels(texture));
  if (!texture || !pixels) {
    const now = [roughness ? held(rough, roughness) : rough, metalness ? held(metal, metalness) : metal];
    material.setRoughnessFactor(now[0]).setMetallicFactor(now[1]);
    return now[0] !== rough || now[1] !== metal;
  }
  const curve = (factor: number, bounds: Held | undefined) =>
      Uint8Array.from({ length: 256 }, (_, byte) =>
        bounds ? Math.round(held((byte / 255) * factor, bounds) * 255) : byte,
      ),
    greens = curve(rough, roughness),
    blues = curve(metal, metalness),
    covered = work.covered(texture, pixels),
    touches = (channel: 1 | 2, factor: number, to: Uint8Array) => {
      let touched = 0,
        counted = 0;
      for (let t = 0, i = channel; i < pixels.data.length; t++, i += 4) {
        if (covered && !covered[t]) continue;
        counted++;
        if (Math.abs(to[pixels.data[i]] - pixels.data[i] * factor) > 0.75) touched++;
      }
      return touched > counted * SPECKS;
    };
  // A map of which no metal is left says so by its factor alone, and stays as it is.
  const noMetal = metalness?.most === 0,
    byGreen = roughness !== undefined && touches(1, rough, greens),
    byBlue = metalness !== undefined && !noMetal && touches(2, metal, blues);
  let changed = false;
  if (noMetal && metal !== 0) {
    changed = touches(2, metal, blues);
    material.setMetallicFactor(0);
  }
  if (!byGreen && !byBlue) return changed;
  const from = JSON.stringify([byGreen && [rough, roughness], byBlue && [metal, metalness]]),
    fresh = work.image(texture, 'treated', from, () => {
      const out = Uint8Array.from(pixels.data);
      for (let i = 0; i < out.length; i += 4) {
        if (byGreen) out[i + 1] = greens[out[i + 1]];
        if (byBlue) out[i + 2] = blues[out[i + 2]];
      }
      return { ...pixels, data: out };
    });
  // One image that serves occlusion too goes on serving it.
  if (material.getOcclusionTexture() === texture) material.setOcclusionTexture(fresh);
  material.setMetallicRoughnessTexture(fresh);
  if (byGreen) material.setRoughnessFactor(1);
  if (byBlue) material.setMetallicFactor(1);
  return true;
}
