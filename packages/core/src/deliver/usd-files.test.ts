import type { Document } from '@gltf-transform/core';
import { KHRMaterialsSheen } from '@gltf-transform/extensions';
import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { contentsApart } from '../check/contents.ts';
import { statedOf } from '../check/index.ts';
import { openArchive, readCharacter, writeArchive } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { expectDrawnAsStated, expectSameUpright } from '../testing/drawn-as-stated.ts';
import { figureWithAll, picture } from '../testing/figure-with-all.ts';
import { clipsOut } from './clips-out.ts';
import { inUnits } from './in-units.ts';
import { usdFiles } from './usd-files.ts';

describe.each(['usda', 'usdz'] as const)('delivered as %s', (format) => {
  const document = figureWithAll(),
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
  it('is drawn by another loader as we measure it', () => expectDrawnAsStated(files, document));
});

it.each(['usda', 'usdz'] as const)(
  'in centimetres with Z up .%s is the same figure to whoever reads it',
  async (format) => {
    const document = figureWithAll(),
      axes = { upAxis: 'Z', unitMetres: 0.01 } as const,
      { files } = usdFiles(inUnits(document, axes), 'stoker', format, axes);
    await expectSameUpright(files, document);
    if (format === 'usda')
      expect(new TextDecoder().decode(files[0].bytes)).toMatch(/metersPerUnit = 0.01[\s\S]*upAxis = "Z"/);
  },
);

it('clips beside the one that is bound come back too', async () => {
  const document = figureWithAll();
  clipsOut(document, { keep: 'all', rest: true, rangeOfMotion: true });
  const { files, findings } = usdFiles(document, 'stoker', 'usda'),
    { document: read } = await readCharacter(files, undefined, { main: files[0].path }),
    names = (one: Document) =>
      one
        .getRoot()
        .listAnimations()
        .map((clip) => clip.getName());
  expect(findings.map(({ code }) => code)).toEqual(['usd.clips']);
  expect(names(read)).toEqual(names(document));
  expect(names(read)).toHaveLength(3);
});

describe('what USD has no place for', () => {
  it('is said: sheen, pictures that not every reader opens, clips beside the first', () => {
    const document = figureWithAll(),
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
  const { files } = usdFiles(figureWithAll(), 'stoker', 'usda'),
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
    const packed = writeArchive(openArchive(usdFiles(figureWithAll(), 'stoker', 'usdz').files[0].bytes, 'a.usdz'));
    expect((await look({ path: 'a.usdz', bytes: packed }, [])).validator.errors.map((row) => row.code)).toEqual([
      'NOT_ALIGNED',
    ]);
    const bare = writeArchive([{ path: 'a.png', bytes: picture(1, 2, 3) as Uint8Array<ArrayBuffer> }]);
    expect((await look({ path: 'a.usdz', bytes: bare }, [])).refused).toMatch(/no layer/);
    expect((await look({ path: 'a.usda', bytes: new Uint8Array(3) }, [])).sizeMm).toBeNull();
  });
});
