import type { Document } from '@gltf-transform/core';
import { KHRMaterialsClearcoat, KHRMaterialsSheen, KHRTextureTransform } from '@gltf-transform/extensions';
import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts, skeletonOf } from '../character/index.ts';
import { contentsApart } from '../check/contents.ts';
import { statedOf } from '../check/index.ts';
import { openArchive, readCharacter, writeArchive, writePng } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { usdFiles } from './usd-files.ts';

const picture = (r: number, g: number, b: number) =>
  writePng({ width: 4, height: 4, data: new Uint8Array(64).map((_, i) => [r, g, b, 255][i % 4]) });

/** A figure whose one material says all that a preview surface holds, with a clip that turns a joint and plays its morph. */
function figure(): Document {
  const document = stickFigure(),
    [{ prim, node, mesh }] = listParts(document),
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
  expect(mesh.listPrimitives()[0].listTargets()).toHaveLength(1);
  return document;
}

describe.each(['usda', 'usdz'] as const)('delivered as %s', (format) => {
  const document = figure(),
    { files, findings } = usdFiles(document, 'stoker', format),
    back = readCharacter(files, undefined, { main: files[0].path });
  it('says nothing where all of it has a place, and is one file or one beside its images', () => {
    expect(findings).toEqual([]);
    expect(files.map(({ path }) => path)).toEqual(
      format === 'usdz'
        ? ['stoker.usdz']
        : ['stoker.usda', 'textures/color.png', 'textures/normal.png', 'textures/surface.png', 'textures/glow.png'],
    );
  });
  it('comes back as it went: shape, joints, morphs, material, clip', async () => {
    const { document: read } = await back,
      unclipped = (one: Document) => ({ ...contentsOf(one), clips: [] });
    expect(contentsApart(unclipped(document), unclipped(read))).toEqual([]);
    expect(statedOf(read)).toEqual(statedOf(document));
    const [a, b] = [document, read].map((one) => {
      const [{ prim, node }] = listParts(one),
        material = prim.getMaterial(),
        place = material?.getBaseColorTextureInfo()?.getExtension('KHR_texture_transform') as {
          getOffset(): number[];
          getRotation(): number;
          getScale(): number[];
        } | null,
        coat = material?.getExtension('KHR_materials_clearcoat') as { getClearcoatFactor(): number } | null,
        weights = one
          .getRoot()
          .listAnimations()[0]
          .listChannels()
          .find((channel) => channel.getTargetPath() === 'weights' && channel.getTargetNode() === node)
          ?.getSampler()
          ?.getOutput();
      return [
        material?.getBaseColorFactor(),
        material?.getNormalScale(),
        material?.getRoughnessFactor(),
        material?.getMetallicFactor(),
        material?.getEmissiveFactor(),
        material?.getAlphaCutoff(),
        material?.getBaseColorTextureInfo()?.getWrapS(),
        place?.getOffset(),
        place?.getRotation(),
        place?.getScale(),
        coat?.getClearcoatFactor(),
        weights && [...floatsOf(weights)],
      ].flat();
    });
    expect(b).toHaveLength(a.length);
    a.forEach((x, i) => expect(b[i], `number ${i}`).toBeCloseTo(x as number, 5));
  });
  it('is drawn by another loader as we measure it', async () => {
    const seen = await look(files[0], files),
      stated = statedOf(document);
    expect(seen.refused).toBeUndefined();
    expect(seen.validator.errors).toEqual([]);
    expect(seen.joints).toEqual({ joints: skeletonOf(document).joints.length, outside: [] });
    seen.sizeMm?.forEach((mm, k) => expect(mm).toBeCloseTo((stated.sizeMm as number[])[k], 1));
    expect(seen.morphs).toMatchObject(stated.morphs.map(({ name, vertices }) => ({ name, vertices })));
    expect(seen.clips).toMatchObject({ unbound: [] });
    expect(seen.clips.channels).toBeGreaterThan(0);
    expect(seen.images.map(({ width, height, problem }) => [width, height, problem])).toEqual(
      Array.from({ length: 4 }, () => [4, 4, undefined]),
    );
  });
});

describe('what USD has no place for', () => {
  it('is said: sheen, pictures that not every reader opens, clips beside the first', () => {
    const document = figure(),
      [{ material }] = listParts(document),
      [color] = document.getRoot().listTextures();
    material?.setExtension('KHR_materials_sheen', document.createExtension(KHRMaterialsSheen).createSheen());
    color.setMimeType('image/webp');
    document.createAnimation('Wave');
    const { findings } = usdFiles(document, 'stoker', 'usda');
    expect(findings.map(({ code }) => code)).toEqual(['usd.beyond-surface', 'usd.images', 'usd.clips']);
    expect(findings[0].message).toMatch(/sheen \(1 material\)/);
    expect(findings[2].message).toMatch(/“Nod” is bound.*“Wave” lies beside it/);
  });
});

describe('damage to a delivered layer', () => {
  const { files } = usdFiles(figure(), 'stoker', 'usda'),
    text = new TextDecoder().decode(files[0].bytes);
  it.each([
    [
      'an image that is taken away',
      (one: string) => one.replace('@textures/glow.png@', '@textures/gone.png@'),
      'NO_IMAGE',
    ],
    [
      'a material that is called otherwise',
      (one: string) => one.replace('def Material "Skin"', 'def Material "Other"'),
      'NO_TARGET',
    ],
    [
      'a corner that is no point',
      (one: string) => one.replace(/(int\[\] faceVertexIndices = \[)\d+/, '$199999'),
      'FACES',
    ],
    [
      'weights that are too few',
      (one: string) => one.replace(/(float\[\] primvars:skel:jointWeights = \[)[^,]+,/, '$1'),
      'INFLUENCES',
    ],
  ])('%s is found', async (_, change, code) => {
    const changed = change(text);
    expect(changed).not.toBe(text);
    const { validator } = await look({ path: 'stoker.usda', bytes: new TextEncoder().encode(changed) }, files);
    expect(validator.errors.map((row) => row.code)).toContain(code);
  });
  it('a package packed as any archive, and one without a layer', async () => {
    const packed = writeArchive(openArchive(usdFiles(figure(), 'stoker', 'usdz').files[0].bytes, 'a.usdz'));
    expect((await look({ path: 'a.usdz', bytes: packed }, [])).validator.errors.map((row) => row.code)).toEqual([
      'NOT_ALIGNED',
    ]);
    const bare = writeArchive([{ path: 'a.png', bytes: picture(1, 2, 3) as Uint8Array<ArrayBuffer> }]);
    expect((await look({ path: 'a.usdz', bytes: bare }, [])).refused).toMatch(/no layer/);
    expect((await look({ path: 'a.usda', bytes: new Uint8Array(3) }, [])).sizeMm).toBeNull();
  });
});
