import type { Material } from '@gltf-transform/core';
import { encodedByte, LINEAR } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { OPENNESS_SIZE } from './openness.ts';
import type { TreatmentChannels } from './treatment.ts';

/** Occlusion by what is around, where a material has none; and its colours dimmed by as much of it as is said. */
export async function shade(
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
