import type { Material, Texture } from '@gltf-transform/core';
import { KHRMaterialsSpecular } from '@gltf-transform/extensions';
import { LINEAR, nearestTexel, type Pixels, withAlpha } from '../pixels/index.ts';
import type { DerivedMaps } from './derived-maps.ts';
import { convertMaps } from './specular-glossiness.ts';

/** Linear reflection over which a surface can be metal, colour under which it must then be, and the share of a map that makes its material partly one. */
const METAL = 0.25,
  DARK = 0.12,
  SHARE = 0.02;

/**
 * A specular map of an older format. Where part of it reflects strongly over a dark colour, as only metals do, the
 * material is read as specular–glossiness whole; strength alone says nothing, since older formats have it of skin too. Else it says how strongly a surface reflects that is none: it is kept as that (by
 * KHR_materials_specular), scaled so that on the average it reflects as surfaces of its kind do, since files of older
 * formats say nothing of how light in sum is to be kept.
 * @param body a part of a body: never metal
 * @param gloss map of shininess, where there is one
 * @returns what it became, for the user; null where it can't be read
 */
export async function placeSpecular(
  work: DerivedMaps,
  material: Material,
  specular: Texture,
  gloss: Texture | undefined,
  body: boolean,
): Promise<'metal' | 'reflection' | null> {
  const pixels = await work.pixels(specular);
  if (!pixels?.data.length) return null;
  const diffuse = material.getBaseColorTexture(),
    d = diffuse && (await work.pixels(diffuse)),
    { mean, metal } = looksOf(pixels, d, material.getBaseColorFactor());
  if (body || metal < SHARE) {
    if (mean <= 0) return null;
    const extension = work.extension(KHRMaterialsSpecular),
      scale = Math.min(25, 1 / mean),
      made = extension.createSpecular().setSpecularColorTexture(specular).setSpecularColorFactor([scale, scale, scale]);
    made.getSpecularColorTextureInfo()?.setTexCoord(material.getBaseColorTextureInfo()?.getTexCoord() ?? 0);
    material.setExtension('KHR_materials_specular', made);
    return 'reflection';
  }
  const g = gloss ? await work.pixels(gloss) : null,
    factor = material.getBaseColorFactor(),
    surface = g ? withAlpha(pixels, g) : pixels,
    from = `${work.numberOf(specular)} ${work.numberOf(gloss ?? null)} ${factor} ${material.getRoughnessFactor()}`;
  let converted: ReturnType<typeof convertMaps> | null = null;
  const maps = () =>
    (converted ??= convertMaps({
      diffuse: d,
      specularGlossiness: surface,
      factors: { diffuse: factor, specular: [1, 1, 1], glossiness: g ? 1 : 1 - material.getRoughnessFactor() },
    }));
  const named = diffuse ?? specular;
  material
    .setBaseColorTexture(work.image(named, 'color', from, () => maps().baseColor))
    .setMetallicRoughnessTexture(work.image(named, 'surface', from, () => maps().metallicRoughness))
    .setBaseColorFactor([1, 1, 1, 1])
    .setMetallicFactor(1)
    .setRoughnessFactor(1);
  return 'metal';
}

/** Mean linear reflection, and the share of a map that reflects as metal does. */
function looksOf(
  { width, height, data }: Pixels,
  diffuse: Pixels | null,
  factor: readonly number[],
): { mean: number; metal: number } {
  const size = { width, height };
  let sum = 0,
    metal = 0;
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const i = (y * width + x) * 4,
        strongest = LINEAR[Math.max(data[i], data[i + 1], data[i + 2])];
      sum += strongest;
      if (strongest <= METAL) continue;
      const k = diffuse ? nearestTexel(diffuse, x, y, size) : -1;
      const color = (channel: number) => factor[channel] * (diffuse ? LINEAR[diffuse.data[k + channel]] : 1);
      if (Math.max(color(0), color(1), color(2)) < DARK) metal++;
    }
  const n = Math.max(1, width * height);
  return { mean: sum / n, metal: metal / n };
}
