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
import { encodedByte, LINEAR, paintedHighlight, type Pixels, withoutHighlight } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { OPENNESS_SIZE } from './openness.ts';
import { ONE_WAY } from './strands.ts';
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

const LUMINANCE = [0.2126, 0.7152, 0.0722] as const;
const luminanceOf = (r: number, g: number, b: number): number => r * LUMINANCE[0] + g * LUMINANCE[1] + b * LUMINANCE[2];

/** A highlight painted across strands that run one way goes. */
async function takeOutHighlight(work: DerivedMaps, material: Material): Promise<boolean> {
  const texture = material.getBaseColorTexture(),
    strands = await work.strands(material),
    pixels = texture && strands && strands.coherence >= ONE_WAY ? await work.pixels(texture) : null,
    found = pixels && strands && paintedHighlight(pixels, strands.degrees);
  if (!texture || !pixels || !strands || !found) return false;
  material.setBaseColorTexture(
    work.image(texture, 'unlit', '', () => withoutHighlight(pixels, strands.degrees, found)),
  );
  return true;
}

/** Tint, brightness and saturation in linear light: a tint becomes the mean colour, lights and darks stay what they were to each other. */
async function recolor(
  work: DerivedMaps,
  material: Material,
  { tint, strength, brightness = 1, saturation = 1 }: NonNullable<TreatmentChannels['color']>,
): Promise<boolean> {
  if (!(tint && strength > 0) && brightness === 1 && saturation === 1) return false;
  const wanted = tint && tint.map((value) => LINEAR[Math.round(value * 255)]),
    factor = material.getBaseColorFactor(),
    change = (r: number, g: number, b: number, mean: number): [number, number, number] => {
      const bright = luminanceOf(r, g, b) / Math.max(1e-4, mean);
      return [r, g, b].map((value, k) => {
        const tinted = wanted ? value + (wanted[k] * bright - value) * strength : value;
        return tinted;
      }) as [number, number, number];
    },
    finish = ([r, g, b]: [number, number, number]): [number, number, number] => {
      const grey = luminanceOf(r, g, b);
      return [r, g, b].map((value) => Math.max(0, Math.min(1, (grey + (value - grey) * saturation) * brightness))) as [
        number,
        number,
        number,
      ];
    };
  const texture = material.getBaseColorTexture(),
    pixels = texture && (await work.pixels(texture));
  if (!texture || !pixels) {
    const [r, g, b] = factor,
      now = finish(change(r, g, b, luminanceOf(r, g, b)));
    material.setBaseColorFactor([...now, factor[3]]);
    return true;
  }
  const key = JSON.stringify([tint, strength, brightness, saturation, factor.slice(0, 3)]);
  const fresh = work.image(texture, 'colored', key, () => {
    const out = Uint8Array.from(pixels.data),
      mean = meanLuminance(pixels, factor);
    for (let i = 0; i < out.length; i += 4) {
      const now = finish(
        change(LINEAR[out[i]] * factor[0], LINEAR[out[i + 1]] * factor[1], LINEAR[out[i + 2]] * factor[2], mean),
      );
      for (let k = 0; k < 3; k++) out[i + k] = encodedByte(now[k]);
    }
    return { ...pixels, data: out };
  });
  material.setBaseColorTexture(fresh).setBaseColorFactor([1, 1, 1, factor[3]]);
  return true;
}

/** Over what can be seen of a map. */
function meanLuminance({ data }: Pixels, factor: readonly number[]): number {
  let sum = 0,
    weight = 0;
  for (let i = 0; i < data.length; i += 4) {
    const alpha = data[i + 3] / 255;
    sum +=
      alpha *
      luminanceOf(LINEAR[data[i]] * factor[0], LINEAR[data[i + 1]] * factor[1], LINEAR[data[i + 2]] * factor[2]);
    weight += alpha;
  }
  return weight ? sum / weight : 0;
}

/** Occlusion by what is around, where a material has none; and its colours dimmed by as much of it as is said. */
async function shade(
  work: DerivedMaps,
  material: Material,
  { strength, color }: NonNullable<TreatmentChannels['shade']>,
): Promise<boolean> {
  if (!strength || material.getOcclusionTexture()) return false;
  const found = work.openness.of(material);
  if (!found || found.least > NOTHING_SHADES) return false;
  const { open } = found,
    data = new Uint8Array(open.length * 4);
  open.forEach((value, at) => data.set([value, value, value, 255], at * 4));
  const map = work.fresh(`${material.getName()}_occlusion`, { width: OPENNESS_SIZE, height: OPENNESS_SIZE, data });
  material.setOcclusionTexture(map).setOcclusionStrength(strength);
  const texture = material.getBaseColorTexture(),
    pixels = texture && color > 0 ? await work.pixels(texture) : null;
  if (!texture || !pixels || material.getBaseColorTextureInfo()?.getTexCoord()) return true;
  material.setBaseColorTexture(
    work.image(texture, 'shaded', `${work.numberOf(map)} ${color}`, () => {
      const { width, height } = pixels,
        out = Uint8Array.from(pixels.data);
      for (let y = 0, i = 0; y < height; y++)
        for (let x = 0; x < width; x++, i += 4) {
          const left = 1 - color * (1 - openAt(open, (x + 0.5) / width, (y + 0.5) / height));
          for (let k = 0; k < 3; k++) out[i + k] = encodedByte(LINEAR[out[i + k]] * left);
        }
      return { ...pixels, data: out };
    }),
  );
  return true;
}
/** Where even the most hidden place is this open, there is nothing to shade. */
const NOTHING_SHADES = 0.97;

/** Openness between texels, 0 … 1. */
function openAt(open: Uint8Array, u: number, v: number): number {
  const size = OPENNESS_SIZE,
    x = Math.max(0, Math.min(size - 1.001, u * size - 0.5)),
    y = Math.max(0, Math.min(size - 1.001, v * size - 0.5)),
    at = Math.floor(y) * size + Math.floor(x),
    [s, t] = [x - Math.floor(x), y - Math.floor(y)];
  return (
    ((open[at] * (1 - s) + open[at + 1] * s) * (1 - t) + (open[at + size] * (1 - s) + open[at + size + 1] * s) * t) /
    255
  );
}

/** What glTF has no place for is kept by name: the stage shows it, MaterialX and manifest carry it. @returns what it was */
function beyondGltf(material: Material, { secondHighlight, lightThrough }: TreatmentChannels): string[] {
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
async function extend(work: DerivedMaps, material: Material, channels: TreatmentChannels): Promise<string[]> {
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
