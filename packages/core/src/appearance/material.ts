import type { Material, Texture, TextureInfo } from '@gltf-transform/core';
import type { Clearcoat, EmissiveStrength, IOR, Specular, Transform, Unlit } from '@gltf-transform/extensions';
import { turnOf } from '../geometry/index.ts';
import type { Maps } from './maps.ts';
import type { Content, Mips } from './mips.ts';
import type { SceneMaterial, Slot, Wrap } from './scene.ts';

/** Opacity from which what is blended is as good as solid. */
export const AS_SOLID = 0.98;

/** What a part without a material is drawn with (glTF 2.0 §5.19). */
export const PLAIN: SceneMaterial = {
  name: '',
  mode: 'OPAQUE',
  cutoff: 0.5,
  doubleSided: false,
  factor: [1, 1, 1, 1],
  metallic: 1,
  roughness: 1,
  emissive: [0, 0, 0],
  normalScale: 1,
  occlusionStrength: 1,
  reflection: [0.04, 0.04, 0.04],
  grazing: 1,
  coat: 0,
  coatRoughness: 0,
  unlit: false,
  base: null,
  metalRough: null,
  normal: null,
  occlusion: null,
  glow: null,
  coverage: null,
  core: false,
  solid: true,
  sets: 0,
};

/** What one sees through, and from which sides. */
export type Through = Pick<SceneMaterial, 'mode' | 'cutoff' | 'doubleSided'> & { opacity: number };

export const throughOf = (material: Material): Through => ({
  mode: material.getAlphaMode(),
  cutoff: material.getAlphaCutoff(),
  doubleSided: material.getDoubleSided(),
  opacity: material.getBaseColorFactor()[3],
});

/** @param through where it isn't to be seen through as it says itself */
export async function sceneMaterial(
  material: Material,
  maps: Maps,
  through: Through = throughOf(material),
): Promise<SceneMaterial> {
  const slot = async (texture: Texture | null, info: TextureInfo | null, content: Content): Promise<Slot | null> => {
    const bytes = texture?.getImage(),
      mips = bytes?.length ? await maps.mips(bytes, content) : null;
    return mips && info ? slotOf(mips, info) : null;
  };
  const base = await slot(material.getBaseColorTexture(), material.getBaseColorTextureInfo(), 'color'),
    image = material.getBaseColorTexture()?.getImage(),
    factor = material.getBaseColorFactor(),
    { mode, cutoff, doubleSided, opacity } = through;
  const metalRough = await slot(
      material.getMetallicRoughnessTexture(),
      material.getMetallicRoughnessTextureInfo(),
      'data',
    ),
    normal = await slot(material.getNormalTexture(), material.getNormalTextureInfo(), 'data'),
    occlusion = await slot(material.getOcclusionTexture(), material.getOcclusionTextureInfo(), 'data'),
    glow = await slot(material.getEmissiveTexture(), material.getEmissiveTextureInfo(), 'color');
  let coverage: Slot | null = null;
  if (mode === 'MASK' && base && image) {
    const mips = await maps.coverage(image, Math.min(2, cutoff / Math.max(1e-6, opacity)));
    coverage = mips && { ...base, mips };
  }
  const specular = material.getExtension<Specular>('KHR_materials_specular'),
    coat = material.getExtension<Clearcoat>('KHR_materials_clearcoat'),
    ior = material.getExtension<IOR>('KHR_materials_ior')?.getIOR() ?? 1.5,
    glowing = material.getExtension<EmissiveStrength>('KHR_materials_emissive_strength')?.getEmissiveStrength() ?? 1;
  const straight = ((ior - 1) / (ior + 1)) * ((ior - 1) / (ior + 1)),
    strength = specular?.getSpecularFactor() ?? 1,
    tint = specular?.getSpecularColorFactor() ?? [1, 1, 1];
  return {
    name: material.getName(),
    mode,
    cutoff,
    doubleSided,
    factor: [factor[0], factor[1], factor[2], opacity],
    metallic: material.getMetallicFactor(),
    roughness: material.getRoughnessFactor(),
    emissive: three((k) => material.getEmissiveFactor()[k] * glowing),
    normalScale: material.getNormalScale(),
    occlusionStrength: material.getOcclusionStrength(),
    reflection: three((k) => Math.min(1, straight * tint[k]) * strength),
    grazing: strength,
    coat: coat?.getClearcoatFactor() ?? 0,
    coatRoughness: coat?.getClearcoatRoughnessFactor() ?? 0,
    unlit: material.getExtension<Unlit>('KHR_materials_unlit') !== null,
    base,
    metalRough,
    normal,
    occlusion,
    glow,
    coverage,
    core: false,
    solid:
      mode === 'OPAQUE' ||
      (mode === 'BLEND' && opacity * (base && image ? await maps.leastAlpha(image) : 1) >= AS_SOLID),
    sets: [base, metalRough, normal, occlusion, glow].reduce((sets, one) => sets | (one ? 1 << one.set : 0), 0),
  };
}

const three = (of: (k: number) => number): [number, number, number] => [of(0), of(1), of(2)];

const WRAPS: Record<number, Wrap> = { 33071: 'clamp', 33648: 'mirror', 10497: 'repeat' };

/** A map in its place, as a material uses it. */
export const slotOf = (mips: Mips, info: TextureInfo): Slot => ({ mips, ...placingOf(info) });

/** Where a map lies: by which UVs, moved how, and what is beyond its edges. */
export function placingOf(info: TextureInfo): Omit<Slot, 'mips'> {
  const transform = info.getExtension<Transform>('KHR_texture_transform');
  return {
    set: Math.min(3, transform?.getTexCoord() ?? info.getTexCoord()),
    affine: transform && affineOf(transform),
    wrapU: WRAPS[info.getWrapS()] ?? 'repeat',
    wrapV: WRAPS[info.getWrapT()] ?? 'repeat',
  };
}

/** Offset × rotation × scale, as KHR_texture_transform multiplies them. */
function affineOf(transform: Transform): Slot['affine'] {
  const [x, y] = transform.getOffset(),
    [sx, sy] = transform.getScale(),
    { cos, sin } = turnOf((transform.getRotation() * 180) / Math.PI);
  return [cos * sx, sin * sy, x, -sin * sx, cos * sy, y];
}
