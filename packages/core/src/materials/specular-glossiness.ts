import { LINEAR, nearestTexel, type Pixels, toSrgb } from '../pixels/index.ts';

export type Rgb = readonly [number, number, number];
export interface SpecularGlossiness {
  diffuse: Rgb;
  specular: Rgb;
  glossiness: number;
}
export interface MetallicRoughness {
  baseColor: [number, number, number];
  metallic: number;
  roughness: number;
}

/** Reflectance of dielectrics at normal incidence. */
const DIELECTRIC = 0.04;
const SMALL = 1e-6;

/**
 * One surface from specular–glossiness to metallic–roughness, colours linear 0 … 1. Source: the conversion that goes with
 * KHR_materials_pbrSpecularGlossiness, its appendix B: metalness solves a quadratic over the perceived brightness of
 * both colours, base colour is blended from either by the square of it.
 */
export function toMetallicRoughness({ diffuse, specular, glossiness }: SpecularGlossiness): MetallicRoughness {
  const left = 1 - Math.max(...specular);
  const metallic = solveMetallic(brightness(diffuse), brightness(specular), left),
    blend = metallic * metallic;
  const baseColor = [0, 1, 2].map((k) => {
    const fromDiffuse = (diffuse[k] * left) / (1 - DIELECTRIC) / Math.max(1 - metallic, SMALL),
      fromSpecular = (specular[k] - DIELECTRIC * (1 - metallic)) / Math.max(metallic, SMALL);
    return clamp(fromDiffuse + (fromSpecular - fromDiffuse) * blend);
  }) as [number, number, number];
  return { baseColor, metallic, roughness: 1 - clamp(glossiness) };
}

function solveMetallic(diffuse: number, specular: number, left: number): number {
  if (specular < DIELECTRIC) return 0;
  const a = DIELECTRIC,
    b = (diffuse * left) / (1 - DIELECTRIC) + specular - 2 * DIELECTRIC,
    c = DIELECTRIC - specular;
  return clamp((-b + Math.sqrt(Math.max(0, b * b - 4 * a * c))) / (2 * a));
}
const brightness = ([r, g, b]: Rgb): number => Math.sqrt(0.299 * r * r + 0.587 * g * g + 0.114 * b * b);
const clamp = (x: number): number => Math.max(0, Math.min(1, x));

export interface SpecularGlossinessMaps {
  diffuse: Pixels | null;
  /** Specular colour with gloss in its alpha. */
  specularGlossiness: Pixels | null;
  factors: { diffuse: readonly [number, number, number, number]; specular: Rgb; glossiness: number };
}

/**
 * {@link toMetallicRoughness} texel by texel, at the larger of both sizes, the smaller read at the nearest texel.
 * Colour maps are sRGB, gloss lies in alpha and is linear; opacity stays with the colour.
 * @returns colour as sRGB with alpha, and roughness in green beside metalness in blue
 */
export function convertMaps({ diffuse, specularGlossiness, factors }: SpecularGlossinessMaps): {
  baseColor: Pixels;
  metallicRoughness: Pixels;
} {
  const width = Math.max(diffuse?.width ?? 1, specularGlossiness?.width ?? 1),
    height = Math.max(diffuse?.height ?? 1, specularGlossiness?.height ?? 1),
    size = { width, height };
  const baseColor = new Uint8Array(width * height * 4),
    surface = new Uint8Array(width * height * 4);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++) {
      const o = (y * width + x) * 4,
        d = diffuse ? nearestTexel(diffuse, x, y, size) : 0,
        s = specularGlossiness ? nearestTexel(specularGlossiness, x, y, size) : 0;
      const color = (map: Pixels | null, i: number, factor: Rgb): Rgb =>
        [0, 1, 2].map((k) => factor[k] * (map ? LINEAR[map.data[i + k]] : 1)) as unknown as Rgb;
      const [r, g, b, a] = factors.diffuse;
      const found = toMetallicRoughness({
        diffuse: color(diffuse, d, [r, g, b]),
        specular: color(specularGlossiness, s, factors.specular),
        glossiness: factors.glossiness * (specularGlossiness ? specularGlossiness.data[s + 3] / 255 : 1),
      });
      for (let k = 0; k < 3; k++) baseColor[o + k] = Math.round(toSrgb(found.baseColor[k]));
      baseColor[o + 3] = Math.round(a * (diffuse ? diffuse.data[d + 3] : 255));
      surface[o] = 255;
      surface[o + 1] = Math.round(found.roughness * 255);
      surface[o + 2] = Math.round(found.metallic * 255);
      surface[o + 3] = 255;
    }
  return { baseColor: { width, height, data: baseColor }, metallicRoughness: { width, height, data: surface } };
}
