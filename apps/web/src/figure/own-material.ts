import {
  AS_SOLID,
  CORE_CUT,
  isHair,
  isSeenThrough,
  mapsOf,
  type MaterialKind,
  ownOf,
  type Part,
  SOLID_KINDS,
} from '@dimetra/core';
import * as THREE from 'three';
import { addBeyondGltf } from './beyond-gltf.ts';
import type { FigureTextures } from './textures.ts';

/** Layers one through the other as they are meant to be seen, or in the order in which a usual engine draws them. */
export type Drawing = 'as meant' | 'as an engine';

/** How a part is drawn. */
export interface Drawn {
  blended: boolean;
  /** Whether it hides what is drawn after it. */
  hides: boolean;
  /** Parts are drawn in this order, those of one number from the farthest to the nearest. */
  order: number;
  /** Its solid part is drawn first, with all that is opaque. */
  core: boolean;
}

/** What lies over what: from the skin outwards. */
const LAYERS: readonly (readonly MaterialKind[])[] = [
  ['scalp', 'brow'],
  ['cornea', 'tear', 'shade'],
  ['lash'],
  ['hair', 'beard'],
  ['glass'],
];
/** What nobody put in order lies under all layers. */
const UNDER = 1;
/** Where an engine sorts nothing by what it is, all that is blended comes after all that isn't. */
const BLENDED = 2;

export function drawingOf({ kind, material }: Pick<Part, 'kind' | 'material'>, drawing: Drawing): Drawn {
  const solid: Drawn = { blended: false, hides: true, order: 0, core: false };
  if (material?.getAlphaMode() !== 'BLEND') return solid;
  // Skin or cloth that is blended by accident still hides what lies behind it; only what is meant to be seen through doesn't.
  const hides = !isSeenThrough(kind);
  if (drawing === 'as an engine') return { blended: true, hides, order: BLENDED, core: false };
  if (SOLID_KINDS.includes(kind) && material.getBaseColorFactor()[3] >= AS_SOLID) return solid;
  return {
    blended: true,
    hides,
    order: UNDER + 1 + LAYERS.findIndex((layer) => layer.includes(kind)),
    core: isHair(kind),
  };
}

export function ownMaterial(
  { material: m }: Pick<Part, 'material'>,
  { blended, hides }: Drawn,
  textures: FigureTextures,
): THREE.MeshPhysicalMaterial {
  const out = new THREE.MeshPhysicalMaterial({
    roughness: m?.getRoughnessFactor() ?? 0.8,
    metalness: m?.getMetallicFactor() ?? 0,
  });
  if (!m) return out;
  const maps = new Map(mapsOf(m).map((use) => [use.channel, use]));
  const [r, g, b, a] = m.getBaseColorFactor();
  out.color.setRGB(r, g, b);
  out.opacity = a;
  out.map = textures.get(maps.get('baseColor') ?? maps.get('diffuse') ?? null, true);
  out.normalMap = textures.get(maps.get('normal') ?? null, false);
  out.roughnessMap = out.metalnessMap = textures.get(maps.get('metallicRoughness') ?? null, false);
  out.aoMap = textures.get(maps.get('occlusion') ?? null, false);
  out.emissive.setRGB(...m.getEmissiveFactor());
  out.emissiveMap = textures.get(maps.get('emissive') ?? null, true);
  out.side = m.getDoubleSided() ? THREE.DoubleSide : THREE.FrontSide;
  out.transparent = blended;
  out.depthWrite = hides;
  if (m.getAlphaMode() === 'MASK') out.alphaTest = m.getAlphaCutoff();
  const beyond = ownOf(m, 'beyond');
  if (beyond) addBeyondGltf(out, beyond, ownOf(m, 'strands')?.degrees ?? 90);
  return out;
}

/** The solid part of strands: it hides what lies behind it, so that only their soft edges depend on an order. */
export function coreOf(own: THREE.MeshPhysicalMaterial): THREE.MeshPhysicalMaterial {
  const core = own.clone();
  // Not taken along by a clone.
  core.onBeforeCompile = own.onBeforeCompile;
  core.customProgramCacheKey = own.customProgramCacheKey;
  core.transparent = false;
  core.depthWrite = true;
  core.alphaTest = CORE_CUT;
  return core;
}
