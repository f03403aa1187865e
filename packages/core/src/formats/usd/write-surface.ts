import type { Material, Texture, TextureInfo } from '@gltf-transform/core';
import type { Clearcoat, IOR, Transform } from '@gltf-transform/extensions';
import { newPrim, type UsdPrim } from './layer.ts';
import { add, called, connect, declare, set } from './write-prims.ts';

const WRAP: Readonly<Record<number, string>> = { 10497: 'repeat', 33071: 'clamp', 33648: 'mirror' };

interface Shown {
  texture: Texture | null;
  info: TextureInfo | null;
  /** Whether its numbers are colours; else they are read as they stand. */
  color?: boolean;
  scale?: readonly number[];
  bias?: readonly number[];
}

/**
 * A material as UsdPreviewSurface 2.6 has it: metallic–roughness, clear coat, index of refraction; what lies beyond is not there.
 * Maps say whether their numbers are colours, how they repeat, and how they are placed.
 */
export function surfaceOf(
  material: Material,
  name: string,
  path: string,
  imagePath: (texture: Texture) => string,
): UsdPrim {
  const prim = called(newPrim(name, 'def', 'Material'), material.getName()),
    shader = add(prim, newPrim('Surface', 'def', 'Shader'));
  connect(prim, 'outputs:surface', 'token', `${path}/Surface.outputs:surface`);
  set(shader, 'info:id', 'token', 'UsdPreviewSurface', true);
  declare(shader, 'outputs:surface', 'token');
  const image = (key: string, { texture, info, color = false, scale, bias }: Shown): string => {
    if (!texture) return '';
    const map = add(prim, newPrim(key, 'def', 'Shader'));
    set(map, 'info:id', 'token', 'UsdUVTexture', true);
    set(map, 'inputs:file', 'asset', [{ asset: imagePath(texture), prim: '' }]);
    set(map, 'inputs:sourceColorSpace', 'token', color ? 'sRGB' : 'raw');
    connect(map, 'inputs:st', 'float2', placesFor(prim, path, key, info));
    set(map, 'inputs:wrapS', 'token', WRAP[info?.getWrapS() ?? 10497] ?? 'repeat');
    for (const channel of ['r', 'g', 'b', 'a']) declare(map, `outputs:${channel}`, 'float');
    declare(map, 'outputs:rgb', 'float3');
    set(map, 'inputs:wrapT', 'token', WRAP[info?.getWrapT() ?? 10497] ?? 'repeat');
    if (scale?.some((x) => x !== 1)) set(map, 'inputs:scale', 'float4', Float64Array.from(scale));
    if (bias?.some((x) => x !== 0)) set(map, 'inputs:bias', 'float4', Float64Array.from(bias));
    return `${path}/${key}.outputs:`;
  };
  const [r, g, b, a] = material.getBaseColorFactor(),
    steep = material.getNormalScale(),
    [er, eg, eb] = material.getEmissiveFactor(),
    color = image('diffuse', {
      texture: material.getBaseColorTexture(),
      info: material.getBaseColorTextureInfo(),
      color: true,
      scale: [r, g, b, 1],
    }),
    packed = image('roughness', {
      texture: material.getMetallicRoughnessTexture(),
      info: material.getMetallicRoughnessTextureInfo(),
      scale: [1, material.getRoughnessFactor(), material.getMetallicFactor(), 1],
    });
  if (color) connect(shader, 'inputs:diffuseColor', 'color3f', `${color}rgb`);
  else set(shader, 'inputs:diffuseColor', 'color3f', Float64Array.of(r, g, b));
  if (packed) {
    connect(shader, 'inputs:roughness', 'float', `${packed}g`);
    connect(shader, 'inputs:metallic', 'float', `${packed}b`);
  } else {
    set(shader, 'inputs:roughness', 'float', material.getRoughnessFactor());
    set(shader, 'inputs:metallic', 'float', material.getMetallicFactor());
  }
  const normal = image('normal', {
      texture: material.getNormalTexture(),
      info: material.getNormalTextureInfo(),
      // Eight bits hold 0 … 1; the surface wants −1 … 1.
      scale: [2 * steep, 2 * steep, 2, 1],
      bias: [-steep, -steep, -1, 0],
    }),
    occlusion = image('occlusion', {
      texture: material.getOcclusionTexture(),
      info: material.getOcclusionTextureInfo(),
    }),
    emissive = image('emissive', {
      texture: material.getEmissiveTexture(),
      info: material.getEmissiveTextureInfo(),
      color: true,
      scale: [er, eg, eb, 1],
    });
  if (normal) connect(shader, 'inputs:normal', 'normal3f', `${normal}rgb`);
  if (occlusion) connect(shader, 'inputs:occlusion', 'float', `${occlusion}r`);
  if (emissive) connect(shader, 'inputs:emissiveColor', 'color3f', `${emissive}rgb`);
  else if (er > 0 || eg > 0 || eb > 0) set(shader, 'inputs:emissiveColor', 'color3f', Float64Array.of(er, eg, eb));
  if (material.getAlphaMode() !== 'OPAQUE') {
    if (color && a === 1) connect(shader, 'inputs:opacity', 'float', `${color}a`);
    else set(shader, 'inputs:opacity', 'float', a);
    if (material.getAlphaMode() === 'MASK') set(shader, 'inputs:opacityThreshold', 'float', material.getAlphaCutoff());
  }
  const coat = material.getExtension<Clearcoat>('KHR_materials_clearcoat'),
    ior = material.getExtension<IOR>('KHR_materials_ior');
  if (coat?.getClearcoatFactor()) {
    set(shader, 'inputs:clearcoat', 'float', coat.getClearcoatFactor());
    set(shader, 'inputs:clearcoatRoughness', 'float', coat.getClearcoatRoughnessFactor());
  }
  if (ior) set(shader, 'inputs:ior', 'float', ior.getIOR());
  return prim;
}

/** The places that a map is read by: those of the set that it says, moved as it says. @returns path of the output */
function placesFor(prim: UsdPrim, path: string, key: string, info: TextureInfo | null): string {
  const transform = info?.getExtension<Transform>('KHR_texture_transform') ?? null,
    number = transform?.getTexCoord() ?? info?.getTexCoord() ?? 0,
    name = number ? `st${number}` : 'st';
  if (!prim.children.has(name)) {
    const reader = add(prim, newPrim(name, 'def', 'Shader'));
    set(reader, 'info:id', 'token', 'UsdPrimvarReader_float2', true);
    set(reader, 'inputs:varname', 'string', name);
    declare(reader, 'outputs:result', 'float2');
  }
  if (!transform) return `${path}/${name}.outputs:result`;
  const moved = add(prim, newPrim(`${key}_place`, 'def', 'Shader')),
    [x, y] = transform.getOffset(),
    [sx, sy] = transform.getScale(),
    turn = transform.getRotation();
  set(moved, 'info:id', 'token', 'UsdTransform2d', true);
  connect(moved, 'inputs:in', 'float2', `${path}/${name}.outputs:result`);
  // v counts from the other end here.
  set(moved, 'inputs:translation', 'float2', Float64Array.of(x + sy * Math.sin(turn), 1 - y - sy * Math.cos(turn)));
  set(moved, 'inputs:rotation', 'float', (turn * 180) / Math.PI);
  set(moved, 'inputs:scale', 'float2', Float64Array.of(sx, sy));
  declare(moved, 'outputs:result', 'float2');
  return `${path}/${key}_place.outputs:result`;
}
