import { look, placesDrawn } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { type InputFile, readCharacter } from '../formats/index.ts';
import { parseTarget, SHIPPED_TARGETS, type Target, type TargetInput } from '../targets/index.ts';
import { convertWith, picturedFigure } from '../testing/convert-with.ts';
import { checkFiles } from './check-files.ts';
import { sealPackage } from './package.ts';

const FORMATS = ['glb', 'gltf', 'usda', 'usdz', 'dae', 'obj'] as const;
const FOLDERS = { model: 'Cast/{character}/Model', maps: 'Cast/{character}/Maps/{kind}' };
const targetWith = (more: Partial<TargetInput['package']>, rest: Partial<TargetInput> = {}): Target =>
  parseTarget({
    ...SHIPPED_TARGETS[0],
    ...rest,
    package: { ...SHIPPED_TARGETS[0].package, folders: FOLDERS, ...more },
  });
async function made(target: Target, name = 'Stoker') {
  const done = await convertWith(picturedFigure(), target, { name });
  const files = done.made ?? [],
    broken = (checks: typeof done.report.checks) =>
      checks
        .filter(({ rule, ok }) => rule.startsWith('delivered.') && !ok)
        .map(({ rule, message }) => `${rule} ${message}`);
  return { done, files, paths: files.map(({ path }) => path), broken };
}
const without = (files: readonly InputFile[], path: RegExp) => files.filter((file) => !path.test(file.path));

describe.each(FORMATS)('folders of a package with .%s', (format) => {
  const model = `Cast/Stoker/Model/stoker.${format}`,
    apart = !['glb', 'usdz'].includes(format);
  it('hold the model and, where they are files, its maps; all of it is found from there', async () => {
    const { done, files, paths, broken } = await made(targetWith({ format }));
    expect(broken(done.report.checks)).toEqual([]);
    expect(paths).toEqual(expect.arrayContaining([model, 'manifest.json', 'report.json', 'report.html']));
    expect(paths.filter((path) => path.startsWith('Cast/Stoker/Maps/skin/')).length > 0).toBe(apart);
    expect(paths.every((path) => !path.includes('..'))).toBe(true);
    const read = await readCharacter(files, undefined, { main: model });
    expect(read.findings.filter(({ code }) => /missing|found-elsewhere|not-found/.test(code))).toEqual([]);
    expect(read.document.getRoot().listTextures()).toHaveLength(done.report.result.textures.length);
    // Judged again as it lies there, and as the archive that goes out.
    const again = await checkFiles(files, targetWith({ format }), look);
    expect([again.file, again.reported, broken(again.checks)]).toEqual([model, true, []]);
    if (!apart) return;
    // One that is gone is missed, by whatever reads it.
    const less = await checkFiles(without(files, /Maps\//), targetWith({ format }), look).catch(String);
    expect(typeof less === 'string' ? less : broken(less.checks).join()).toMatch(/delivered\.(images|contents|valid)/);
  });
});

describe('folders of a package', () => {
  it('hold every model of it, and another loader draws them from there', async () => {
    const levels = [{ triangles: 300, fromM: 8 }],
      { done, files, paths, broken } = await made(
        targetWith({ format: 'gltf', levels, levelsIn: 'each' }, { triangles: { max: 5000 } }),
      );
    expect(broken(done.report.checks)).toEqual([]);
    expect(done.sealed.models?.map(({ path }) => path)).toEqual([
      'Cast/Stoker/Model/stoker.gltf',
      'Cast/Stoker/Model/stoker_lod1.gltf',
    ]);
    for (const { path } of done.sealed.models ?? []) {
      const model = files.find((file) => file.path === path) as InputFile;
      expect((await placesDrawn(model, files)).length).toBeGreaterThan(0);
    }
    const again = await checkFiles(files, targetWith({ format: 'gltf', levels, levelsIn: 'each' }), look);
    expect(broken(again.checks)).toEqual([]);
    expect(new Set(paths).size).toBe(paths.length);
  });

  it('keep grades apart: the package’s own model is judged, not one of theirs', async () => {
    const target = targetWith(
        { format: 'gltf' },
        { triangles: { max: 5000 }, grades: [{ id: 'far', title: 'Far', triangles: 300 }] },
      ),
      { files, paths } = await made(target);
    expect(paths).toEqual(
      expect.arrayContaining(['Cast/Stoker/Model/stoker.gltf', 'far/Cast/Stoker/Model/stoker.gltf']),
    );
    expect((await checkFiles(files, target, look)).file).toBe('Cast/Stoker/Model/stoker.gltf');
  });

  it('stay within the package whatever a character is called', async () => {
    const { paths } = await made(targetWith({ format: 'gltf' }), '../../Wache / Süd');
    expect(paths.filter((path) => /\.gltf$/.test(path))).toEqual(['Cast/__.._Wache_Süd/Model/wache-süd.gltf']);
  });

  it('that lie too deep for some systems are told', async () => {
    const deep = Array(6).fill('{character}').join('/'),
      { done } = await made(targetWith({ format: 'gltf', folders: { model: deep } }), 'S'.repeat(60));
    expect(
      done.steps.flatMap(({ findings }) => findings).find(({ code }) => code === 'package.long-paths')?.message,
    ).toMatch(/more than 180 letters, “SSS.*shorter folders/);
  });

  it('that two files would lie on in one place are refused with a sentence', () => {
    const bytes = new Uint8Array(1),
      sealing = () =>
        sealPackage(
          [
            { path: 'far/a.glb', bytes },
            { path: 'Far/A.glb', bytes },
          ],
          { schema: 1, character: 'a', target: 'b', created: '', origin: null },
          () => '',
        );
    expect(sealing).toThrow(/would be called “Far\/A\.glb”/);
  });
});
