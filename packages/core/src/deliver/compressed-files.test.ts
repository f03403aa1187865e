import { placesDrawn } from '@dimetra/eyes';
import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { floatsOf, listParts } from '../character/index.ts';
import { contentsApart } from '../check/contents.ts';
import { judgeCompression } from '../check/index.ts';
import { type InputFile, readCharacter } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { type Compression, parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { expectDrawnAsStated } from '../testing/drawn-as-stated.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import { changedByCompression } from './changed-by-compression.ts';
import { compressedFiles } from './compressed-files.ts';
import { modelFiles } from './model-files.ts';

type Packing = Exclude<Compression, 'none'>;
const EXTENSION: Record<Packing, string> = {
  quantised: 'KHR_mesh_quantization',
  meshopt: 'EXT_meshopt_compression',
  draco: 'KHR_draco_mesh_compression',
};
/** What whole numbers of 16 bits move a vertex of this figure by at most, metres. */
const STEP = 5e-5;
const read = async (files: readonly InputFile[]): Promise<Document> =>
  (await readCharacter(files, undefined, { main: files[0].path })).document;
const jsonOf = ({ path, bytes }: InputFile) =>
  JSON.parse(
    new TextDecoder().decode(
      path.endsWith('.gltf')
        ? bytes
        : bytes.subarray(20, 20 + new DataView(bytes.buffer, bytes.byteOffset).getUint32(12, true)),
    ),
  );

describe.each(Object.keys(EXTENSION) as Packing[])('delivered %s', (compression) => {
  const document = figureWithAll();
  it.each(['glb', 'gltf'] as const)('as .%s says so, and another loader finds it as it was', async (format) => {
    const files = await compressedFiles(document, 'stoker', format, compression);
    expect(jsonOf(files[0]).extensionsRequired).toContain(EXTENSION[compression]);
    expect(files.map(({ path }) => path)).toEqual(
      format === 'glb'
        ? ['stoker.glb']
        : [
            'stoker.gltf',
            'stoker.bin',
            'textures/color.png',
            'textures/normal.png',
            'textures/surface.png',
            'textures/glow.png',
          ],
    );
    await expectDrawnAsStated(files, document, STEP);
  });
  it('comes back as it went: parts, joints, materials, clips, and every number nearly', async () => {
    const files = await compressedFiles(document, 'stoker', 'glb', compression),
      again = await read(files);
    expect(contentsApart(contentsOf(document), contentsOf(again))).toEqual([]);
    const change = changedByCompression(document, again);
    expect(judgeCompression(change as never).filter(({ ok }) => !ok)).toEqual([]);
    expect(change?.restMm).toBeGreaterThan(0);
    // Drawn by the other loader from the plain file and from this one: the same places, vertex by vertex.
    const { files: plain } = await modelFiles(document, parseTarget(SHIPPED_TARGETS[0]), 'stoker'),
      [a, b] = await Promise.all([placesDrawn(plain[0], plain), placesDrawn(files[0], files)]);
    expect(b.length).toBe(a.length);
    expect(Math.max(...a.map((x, i) => Math.abs(x - b[i])))).toBeLessThan(STEP);
  });
  it('is the same to the byte when it is made again, and leaves the document alone', async () => {
    const before = listParts(document).map(({ prim }) => floatsOf(prim.getAttribute('POSITION') as never).slice()),
      [one, other] = [
        await compressedFiles(document, 'stoker', 'glb', compression),
        await compressedFiles(document, 'stoker', 'glb', compression),
      ];
    expect(one[0].bytes).toEqual(other[0].bytes);
    expect(listParts(document).map(({ prim }) => floatsOf(prim.getAttribute('POSITION') as never))).toEqual(before);
    expect(
      document
        .getRoot()
        .listExtensionsUsed()
        .map(({ extensionName }) => extensionName),
    ).not.toContain(EXTENSION[compression]);
  });
});

describe('what compression changed is told apart', () => {
  const document = figureWithAll();
  const changed = async (spoil: (again: Document) => void) => {
    const again = await read(await compressedFiles(document, 'stoker', 'glb', 'quantised'));
    spoil(again);
    const change = changedByCompression(document, again);
    return judgeCompression(change as never)
      .filter(({ ok }) => !ok)
      .map(({ rule }) => rule.slice('delivered.compressed-'.length));
  };
  /** Adds to one number of an attribute, or of a morph's. */
  const nudge =
    (semantic: string, at: number, by: number, morph = false) =>
    (again: Document) => {
      const [{ prim }] = listParts(again),
        accessor = (morph ? prim.listTargets()[0] : prim).getAttribute(semantic);
      if (!accessor) throw new Error(`no ${semantic}`);
      const values = floatsOf(accessor).slice();
      values[at] += by;
      accessor.setNormalized(false).setArray(values);
    };
  it.each([
    ['places', nudge('POSITION', 4, 0.0005)],
    ['places', nudge('POSITION', 4, 0.0005, true)],
    ['normals', nudge('NORMAL', 0, 0.02)],
    ['maps', nudge('TEXCOORD_0', 0, 0.0002)],
    ['weights', nudge('WEIGHTS_0', 0, 0.01)],
  ] as const)('%s', async (rule, spoil) => {
    expect(await changed(() => {})).toEqual([]);
    expect(await changed(spoil)).toContain(rule);
  });
  it('says nothing where vertices are not the same: the rule on contents does', async () => {
    const again = await read(await compressedFiles(document, 'stoker', 'glb', 'quantised')),
      [{ node }] = listParts(again);
    node.setMesh(null);
    expect(changedByCompression(document, again)).toBeNull();
  });
});

describe('a target that asks for it', () => {
  const withPackage = (part: object) => ({
    ...SHIPPED_TARGETS[0],
    package: { ...SHIPPED_TARGETS[0].package, ...part },
  });
  it.each(['vrm', 'usdz', 'dae', 'obj'])('of .%s is refused: there is no place for it', (format) => {
    expect(() => parseTarget(withPackage({ format, compression: 'meshopt' }))).toThrow(/compressed/);
    expect(parseTarget(withPackage({ format, compression: 'none' })).package.compression).toBe('none');
  });
});
