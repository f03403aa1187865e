import type { Material } from '@gltf-transform/core';
import { encodedByte, LINEAR, paintedHighlight, type Pixels, withoutHighlight } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { ONE_WAY } from './strands.ts';
import type { TreatmentChannels } from './treatment.ts';

const LUMINANCE = [0.2126, 0.7152, 0.0722] as const;
const luminanceOf = (r: number, g: number, b: number): number => r * LUMINANCE[0] + g * LUMINANCE[1] + b * LUMINANCE[2];

/** A highlight painted across strands that run one way goes. */
export async function takeOutHighlight(work: DerivedMaps, material: Material): Promise<boolean> {
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
export async function recolor(
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
