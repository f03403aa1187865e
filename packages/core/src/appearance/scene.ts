import type { Mips } from './mips.ts';

/** How a place beyond the edge of a map is found (glTF 2.0 §3.8.4). */
export type Wrap = 'repeat' | 'clamp' | 'mirror';

/** A map in its place: which UVs it lies by, moved and turned as KHR_texture_transform says. */
export interface Slot {
  mips: Mips;
  /** Set of UVs. */
  set: number;
  /** u′ = a·u + b·v + c, v′ = d·u + e·v + f; null where they are taken as they are. */
  affine: readonly [a: number, b: number, c: number, d: number, e: number, f: number] | null;
  wrapU: Wrap;
  wrapV: Wrap;
}

/** A material of glTF 2.0's metallic–roughness model, with the ratified extensions that are drawn here. */
export interface SceneMaterial {
  name: string;
  mode: 'OPAQUE' | 'MASK' | 'BLEND';
  cutoff: number;
  doubleSided: boolean;
  /** Base colour, linear, and opacity. */
  factor: readonly [number, number, number, number];
  metallic: number;
  roughness: number;
  emissive: readonly [number, number, number];
  normalScale: number;
  occlusionStrength: number;
  /** Reflection straight on, by index of refraction (KHR_materials_ior) and specular colour (KHR_materials_specular). */
  reflection: readonly [number, number, number];
  /** Strength at grazing angles (KHR_materials_specular). */
  grazing: number;
  /** Clear coat over it (KHR_materials_clearcoat), and its roughness. */
  coat: number;
  coatRoughness: number;
  unlit: boolean;
  base: Slot | null;
  metalRough: Slot | null;
  normal: Slot | null;
  occlusion: Slot | null;
  glow: Slot | null;
  /** Of a cut-out: how much of each texel it covers. */
  coverage: Slot | null;
  /** The cut-out core of what is blended once more after it: together they mean what is blended. */
  core: boolean;
  /** Lets so little through everywhere that it is drawn as solid. */
  solid: boolean;
  /** Sets of UVs that its maps lie by, a bit each. */
  sets: number;
}

export interface ScenePart {
  name: string;
  role: string;
  material: number;
  firstTriangle: number;
  triangles: number;
  firstVertex: number;
  vertices: number;
}

/** A figure in one pose, as flat arrays. */
export interface Scene {
  vertices: number;
  /** World metres, and unit normals: three a vertex. */
  position: Float32Array;
  normal: Float32Array;
  /** UVs by set: two a vertex. */
  uv: readonly Float32Array[];
  /** Linear RGBA a vertex, where any part has it. */
  color: Float32Array | null;
  index: Uint32Array;
  /** Part of each triangle. */
  partOf: Uint16Array;
  parts: readonly ScenePart[];
  materials: readonly SceneMaterial[];
}

/** Middle of each part's box: what a usual engine sorts see-through parts by. */
export function middlesOf({ parts, index, position }: Scene): Float64Array {
  const out = new Float64Array(parts.length * 3);
  for (const [id, { firstTriangle, triangles }] of parts.entries()) {
    const low = [Infinity, Infinity, Infinity],
      high = [-Infinity, -Infinity, -Infinity];
    for (let i = firstTriangle * 3; i < (firstTriangle + triangles) * 3; i++)
      for (let k = 0; k < 3; k++) {
        const x = position[index[i] * 3 + k];
        if (x < low[k]) low[k] = x;
        if (x > high[k]) high[k] = x;
      }
    for (let k = 0; k < 3; k++) out[id * 3 + k] = triangles ? (low[k] + high[k]) / 2 : 0;
  }
  return out;
}
