import type { Document } from '@gltf-transform/core';
import { KHRMaterialsClearcoat, KHRTextureTransform } from '@gltf-transform/extensions';
import { listParts, skeletonOf } from '../character/index.ts';
import { writePng } from '../formats/index.ts';
import { stickFigure } from './stick-figure.ts';

/** Four by four texels of one colour. */
export const picture = (r: number, g: number, b: number) =>
  writePng({ width: 4, height: 4, data: new Uint8Array(64).map((_, i) => [r, g, b, 255][i % 4]) });

/** A figure whose one material says all that a preview surface holds, with a clip that turns a joint and plays its morph. */
export function figureWithAll(): Document {
  const document = stickFigure(),
    [{ prim, node }] = listParts(document),
    material = prim.getMaterial(),
    map = (name: string, bytes: Uint8Array) =>
      document
        .createTexture(name)
        .setURI(`textures/${name}.png`)
        .setMimeType('image/png')
        .setImage(bytes as Uint8Array<ArrayBuffer>);
  if (!material) throw new Error('the figure has a material');
  material
    .setBaseColorTexture(map('color', picture(200, 150, 120)))
    .setBaseColorFactor([0.9, 0.8, 0.7, 1])
    .setNormalTexture(map('normal', picture(128, 128, 255)))
    .setNormalScale(0.6)
    .setMetallicRoughnessTexture(map('surface', picture(0, 200, 40)))
    .setRoughnessFactor(0.75)
    .setMetallicFactor(0.5)
    .setEmissiveTexture(map('glow', picture(9, 9, 9)))
    .setEmissiveFactor([0.25, 0.5, 1])
    .setAlphaMode('MASK')
    .setAlphaCutoff(0.3)
    .setDoubleSided(true)
    .setExtension(
      'KHR_materials_clearcoat',
      document
        .createExtension(KHRMaterialsClearcoat)
        .createClearcoat()
        .setClearcoatFactor(0.5)
        .setClearcoatRoughnessFactor(0.2),
    );
  material
    .getBaseColorTextureInfo()
    ?.setWrapS(33071)
    .setExtension(
      'KHR_texture_transform',
      document
        .createExtension(KHRTextureTransform)
        .createTransform()
        .setOffset([0.1, 0.2])
        .setRotation(0.3)
        .setScale([2, 3]),
    );
  const clip = document.createAnimation('Nod'),
    times = document
      .createAccessor()
      .setType('SCALAR')
      .setArray(Float32Array.of(0, 0.5, 1)),
    head = skeletonOf(document).joints.find((joint) => joint.getName() === 'head'),
    channel = (path: 'rotation' | 'weights', target: typeof node, type: 'VEC4' | 'SCALAR', values: number[]) => {
      const sampler = document
        .createAnimationSampler()
        .setInput(times)
        .setOutput(document.createAccessor().setType(type).setArray(Float32Array.from(values)));
      clip
        .addSampler(sampler)
        .addChannel(document.createAnimationChannel().setTargetNode(target).setTargetPath(path).setSampler(sampler));
    };
  channel('rotation', head as typeof node, 'VEC4', [0, 0, 0, 1, Math.sin(0.2), 0, 0, Math.cos(0.2), 0, 0, 0, 1]);
  channel('weights', node, 'SCALAR', [0, 1, 0.25]);
  return document;
}
