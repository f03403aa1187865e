import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { contentsApart } from '../check/contents.ts';
import { statedOf } from '../check/index.ts';
import { type InputFile, readCharacter, writePng } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { heldBy } from './held.ts';
import { objFiles } from './obj-files.ts';

function figure() {
  const document = stickFigure(),
    [{ material }] = listParts(document),
    map = (name: string, r: number) =>
      document
        .createTexture(name)
        .setURI(`textures/${name}.png`)
        .setMimeType('image/png')
        .setImage(
          writePng({
            width: 4,
            height: 4,
            data: new Uint8Array(64).map((_, i) => (i % 4 === 3 ? 255 : r)),
          }) as Uint8Array<ArrayBuffer>,
        );
  material
    ?.setBaseColorTexture(map('color', 200))
    .setNormalTexture(map('normal', 128))
    .setMetallicRoughnessTexture(map('surface', 90))
    .setEmissiveTexture(map('glow', 9))
    .setEmissiveFactor([1, 0.5, 0.25])
    .setAlphaMode('MASK');
  return document;
}
const withText = (files: readonly InputFile[], path: RegExp, change: (text: string) => string): InputFile[] =>
  files.map((file) => {
    if (!path.test(file.path)) return file;
    const before = new TextDecoder().decode(file.bytes),
      after = change(before);
    expect(after).not.toBe(before);
    return { ...file, bytes: new TextEncoder().encode(after) };
  });

describe('delivered as OBJ', () => {
  const document = figure(),
    { files, findings } = objFiles(document, 'stoker'),
    { contents, stated } = heldBy('stoker.obj');
  it('is a model, a library and every map; what has no place in it is said', () => {
    expect(files.map(({ path }) => path)).toEqual([
      'stoker.obj',
      'stoker.mtl',
      'textures/color.png',
      'textures/normal.png',
      'textures/surface.png',
      'textures/glow.png',
    ]);
    expect(findings.map(({ code }) => code)).toEqual(['obj.left-out', 'obj.cut-outs']);
    expect(findings[0].message).toMatch(/\d+ joints, 1 morph are not in it/);
  });
  it('comes back as it stands: every vertex, every part, its maps and colours', async () => {
    const { document: read } = await readCharacter(files, undefined, { main: 'stoker.obj' });
    expect(contentsApart(contents(contentsOf(document)), contents(contentsOf(read)))).toEqual([]);
    const [a, b] = [document, read].map((one) => statedOf(one));
    b.sizeMm?.forEach((mm, k) => expect(mm).toBeCloseTo((a.sizeMm as number[])[k], 2));
    const [before, after] = [document, read].map((one) => listParts(one)[0].material);
    expect(after?.getRoughnessFactor()).toBeCloseTo(before?.getRoughnessFactor() ?? 0, 5);
    // Two keys that name one map, each a channel of it: packed as it was.
    expect(after?.getMetallicRoughnessTexture()?.getImage()).toEqual(before?.getMetallicRoughnessTexture()?.getImage());
    expect(after?.getMetallicRoughnessTexture()).not.toBeNull();
    after?.getEmissiveFactor().forEach((x, k) => expect(x).toBeCloseTo([1, 0.5, 0.25][k], 1));
    // Places of textures are the same, counted from above again.
    const [uv, uw] = [document, read].map((one) =>
      [...floatsOf(listParts(one)[0].prim.getAttribute('TEXCOORD_0') as never)].sort((x, y) => x - y),
    );
    expect(uw.length).toBe(uv.length);
    uv.forEach((x, i) => expect(uw[i]).toBeCloseTo(x, 5));
  });
  it('is drawn by another loader as large as it is', async () => {
    const seen = await look(files[0], files);
    expect(seen.refused).toBeUndefined();
    expect(seen.validator.errors).toEqual([]);
    seen.sizeMm?.forEach((mm, k) => expect(mm).toBeCloseTo((statedOf(document).sizeMm as number[])[k], 1));
    expect(seen.images).toHaveLength(4);
    expect(stated(statedOf(document)).morphs).toEqual([]);
  });
  it.each([
    ['a corner that is no vertex', /obj$/, (text: string) => text.replace(/\nf \d+/, '\nf 999999'), 'FACES'],
    ['a library that isn’t there', /obj$/, (text: string) => text.replace('stoker.mtl', 'other.mtl'), 'NO_LIBRARY'],
    ['a map that isn’t there', /mtl$/, (text: string) => text.replace('glow.png', 'gone.png'), 'NO_IMAGE'],
    [
      'a material that no library names',
      /mtl$/,
      (text: string) => text.replace('newmtl Skin', 'newmtl Other'),
      'NO_MATERIAL',
    ],
  ])('%s is found', async (_, path, change, code) => {
    const changed = withText(files, path, change);
    expect((await look(changed[0], changed)).validator.errors.map((row) => row.code)).toContain(code);
  });
  it('nothing, and words, are refused', async () => {
    for (const text of ['', 'once upon a time'])
      expect((await look({ path: 'a.obj', bytes: new TextEncoder().encode(text) }, [])).refused).toMatch(
        /draws nothing/,
      );
  });
});
