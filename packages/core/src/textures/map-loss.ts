import type { Document, Material, Texture } from '@gltf-transform/core';
import { mipsOf } from '../appearance/index.ts';
import { channelsOfTexture, type MapChannel, mapsOf } from '../character/index.ts';
import {
  between,
  coveredTexels,
  degreesBetween,
  deltaE2000,
  type ImageCodec,
  type ImageContent,
  type Pixels,
  textureState,
  toLab,
} from '../pixels/index.ts';

/** Longest side that is looked at: of what is finer, the first halving counts as much as the next. */
const LOOK = 2048;
/** Texels of a level that are compared. */
const SAMPLES = 4096;
/** A difference of so much ΔE counts twice: a clear one in few places is missed sooner than a faint one all over. */
const CLEAR = 8;
/** Along the picture that tells which of its places are worn. */
const COVERED = 256;
/** No map is made smaller than twice this. */
const SMALLEST = 32;

/**
 * What a change of a map looks like, as ΔE 2000: one degree of tilt, all of the roughness, the metalness, the occlusion and
 * the opacity. Of what it comes to on a sheet that faces the light a figure shows a third all around; so it was found
 * by halving each map of the demo's pilot alone and drawing both. What covers shows everywhere.
 */
export const LOOKS_LIKE = { degree: 0.1, roughness: 8, metalness: 4, occlusion: 8, opacity: 40 };

/**
 * What is seen of making a map smaller: for each number of halvings, from none, ΔE summed over all pixels of all views.
 * Between two levels every texel of the finer is held against the coarser, between its texels; what several halvings cost
 * is at most the sum of each.
 * @param seen pixels by the level they ask for
 */
export async function mapLoss(
  document: Document,
  texture: Texture,
  content: ImageContent,
  seen: ArrayLike<number>,
  images: ImageCodec,
): Promise<Float64Array | null> {
  const image = texture.getImage(),
    full = textureState(texture);
  if (!image?.length || !full.width) return null;
  let pixels: Pixels;
  try {
    pixels = await images.decode(image, LOOK);
  } catch {
    return null;
  }
  const levels = mipsOf(pixels, content === 'color' ? 'color' : 'data'),
    look = looksOf(document, texture, content),
    covered = coveredTexels(document, texture, COVERED, COVERED),
    counts = (u: number, v: number) =>
      !covered || covered[Math.floor(v * COVERED) * COVERED + Math.floor(u * COVERED)] === 1,
    steps = levels
      .slice(1)
      .filter(({ width, height }) => Math.max(width, height) >= SMALLEST)
      .map((coarse, i) => meanDifference(levels[i], coarse, counts, look));
  for (let side = Math.max(full.width, full.height); side > Math.max(pixels.width, pixels.height) * 1.5; side /= 2)
    steps.unshift(steps[0] ?? 0);
  const out = new Float64Array(steps.length + 1);
  for (let k = 1; k < out.length; k++)
    for (let level = 0; level < k && level < seen.length; level++)
      for (let j = level; j < k; j++) out[k] += seen[level] * steps[j];
  return out;
}

/** Two texels, the second between four. */
type Look = (data: Uint8Array, at: number, other: Float64Array) => number;

function looksOf(document: Document, texture: Texture, content: ImageContent): Look {
  if (content === 'color') {
    const clear = document
      .getRoot()
      .listMaterials()
      .some((material) => material.getBaseColorTexture() === texture && material.getAlphaMode() !== 'OPAQUE');
    return (data, at, other) => {
      const color = deltaE2000(toLab([data[at], data[at + 1], data[at + 2]]), toLab([other[0], other[1], other[2]]));
      if (!clear) return color;
      // Colour counts as far as it covers.
      const [one, two] = [data[at + 3] / 255, other[3] / 255];
      return color * Math.min(one, two) + Math.abs(one - two) * LOOKS_LIKE.opacity;
    };
  }
  const factor = (channel: MapChannel, of: (material: Material) => number) =>
    document
      .getRoot()
      .listMaterials()
      .filter((material) => mapsOf(material).some((use) => use.texture === texture && use.channel === channel))
      .reduce((most, material) => Math.max(most, of(material)), 0);
  if (content === 'normal') {
    const degree = LOOKS_LIKE.degree * (factor('normal', (material) => material.getNormalScale()) || 1);
    return (data, at, other) => degreesBetween(data, at, other, 0) * degree;
  }
  // A map speaks through its factors.
  const roughness = factor('metallicRoughness', (material) => material.getRoughnessFactor()) * LOOKS_LIKE.roughness,
    metalness = factor('metallicRoughness', (material) => material.getMetallicFactor()) * LOOKS_LIKE.metalness,
    occlusion = factor('occlusion', (material) => material.getOcclusionStrength()) * LOOKS_LIKE.occlusion,
    channels = channelsOfTexture(document, texture),
    other = channels.has('metallicRoughness') || channels.has('occlusion') ? 0 : LOOKS_LIKE.roughness;
  return (data, at, next) =>
    (Math.abs(data[at] - next[0]) * (occlusion + other) +
      Math.abs(data[at + 1] - next[1]) * roughness +
      Math.abs(data[at + 2] - next[2]) * metalness) /
    255;
}

/** @param counts whether a place, 0 … 1, is worn */
function meanDifference(fine: Pixels, coarse: Pixels, counts: (u: number, v: number) => boolean, look: Look): number {
  const { width, height, data } = fine,
    count = width * height,
    // An odd step meets all columns of maps whose sides are powers of two.
    step = Math.max(1, Math.floor(count / SAMPLES)) | 1,
    other = new Float64Array(4);
  let sum = 0,
    n = 0;
  for (let i = step >> 1; i < count; i += step) {
    const u = ((i % width) + 0.5) / width,
      v = (Math.floor(i / width) + 0.5) / height;
    if (!counts(u, v)) continue;
    for (let k = 0; k < 4; k++) other[k] = between(coarse, u, v, k);
    const seen = look(data, i * 4, other);
    sum += seen + (seen * seen) / CLEAR;
    n++;
  }
  return n ? sum / n : 0;
}
