import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { checkFiles } from '../deliver/index.ts';
import { readCharacter } from '../formats/index.ts';
import { parseTarget, SHIPPED_TARGETS, type TargetInput } from '../targets/index.ts';
import { convertWith, picturedFigure } from '../testing/convert-with.ts';
import { summarise } from './inspect.ts';
import { learnTarget } from './learn-target.ts';
import type { Sample } from './sample.ts';

/** Coloured, so that no material of it is white. */
function figure() {
  const document = picturedFigure();
  for (const material of document.getRoot().listMaterials()) material.setBaseColorFactor([0.3, 0.2, 0.2, 1]);
  return document;
}
/** What is delivered for a target, as a sample that comes from somewhere else. */
async function deliveredFor(asked: Partial<TargetInput['package']>, rest: Partial<TargetInput> = {}) {
  const target = parseTarget({
      ...SHIPPED_TARGETS[0],
      triangles: { max: 5000 },
      ...rest,
      package: { ...SHIPPED_TARGETS[0].package, ...asked },
    }),
    done = await convertWith(figure(), target),
    files = (done.made ?? []).filter(({ path }) => !/(manifest|report)\.(json|html)$/.test(path)),
    main = files.find(({ path }) => path.endsWith(`.${target.package.format}`))?.path,
    read = await readCharacter(files, undefined, { main }),
    sample: Sample = {
      summary: summarise(read.document, 'Stoker', { seen: false }),
      files: files.map(({ path, bytes }) => ({ path, bytes: bytes.length, used: read.used.includes(path) })),
    };
  return { sample, files, learned: learnTarget([sample], { id: 'learned', title: 'Learned' }) };
}
const LEVELS = [
  { triangles: 700, fromM: 4 },
  { triangles: 300, fromM: 9, morphs: false },
];

describe('a package learned from a sample', () => {
  it.each(['quantised', 'meshopt', 'draco'] as const)('is stored %s where the sample is', async (compression) => {
    const { learned, files } = await deliveredFor({ format: 'glb', compression });
    expect(learned.target.package).toMatchObject({ format: 'glb', compression });
    expect(learned.evidence.find(({ field }) => field === 'package.compression')?.says).toContain(compression);
    const { checks } = await checkFiles(files, learned.target, look);
    expect(checks.filter(({ ok }) => !ok)).toEqual([]);
  });

  it.each(['glb', 'usda'] as const)('has its levels, from as far away, where they lie in one .%s', async (format) => {
    const { learned, files } = await deliveredFor({ format, levels: LEVELS, levelsIn: 'one' }),
      { levels = [], levelsIn } = learned.target.package;
    expect(levelsIn).toBe('one');
    expect(levels.map(({ morphs }) => morphs)).toEqual([true, false]);
    for (const [i, { triangles, fromM }] of levels.entries()) {
      // A tenth more than the sample has, which came down to what was asked or a little below.
      expect(triangles).toBeGreaterThan(LEVELS[i].triangles * 0.8);
      expect(triangles).toBeLessThan(LEVELS[i].triangles * 1.25);
      expect(Math.abs(fromM - LEVELS[i].fromM)).toBeLessThan(format === 'usda' ? 1e-9 : LEVELS[i].fromM * 0.1);
    }
    const { checks } = await checkFiles(files, learned.target, look, {
      main: files.find(({ path }) => path.endsWith(format))?.path,
    });
    expect(checks.filter(({ ok }) => !ok)).toEqual([]);
  });

  it('says that levels in files of their own have to be asked for', async () => {
    const { learned } = await deliveredFor({ format: 'glb', levels: LEVELS });
    expect(learned.target.package.levels).toBeUndefined();
    expect(learned.doubts.find(({ field }) => field === 'package.levels')?.says).toMatch(
      /stoker_lod1\.glb, stoker_lod2\.glb are levels/,
    );
  });

  it('has its unit, what is up, its folders and how names begin; what is delivered again keeps its names', async () => {
    const { learned, sample } = await deliveredFor({
      format: 'usda',
      upAxis: 'Z',
      unitMetres: 0.01,
      folders: { model: 'Cast/{character}', maps: 'Cast/Maps' },
      names: { file: 'SK_{character}' },
    });
    expect(learned.target.package).toMatchObject({
      format: 'usda',
      upAxis: 'Z',
      unitMetres: 0.01,
      folders: { model: '{character}', maps: 'Maps' },
      names: { file: 'SK_{character}' },
    });
    // The material and the map are one each: two say nothing of how names begin.
    const many = ['M_Skin', 'M_Hair', 'M_Coat'].map((name) => ({ ...sample.summary.materials[0], name })),
      { target, evidence } = learnTarget([{ ...sample, summary: { ...sample.summary, materials: many } }], {
        id: 'learned',
        title: 'Learned',
      });
    expect(target.package.names?.material).toBe('M_{name}');
    expect(evidence.find(({ field }) => field === 'package.names.material')?.says).toBe('all 3 are called “M_…”');
  });

  it('takes white materials for meant, and occlusion for lying as the sample has it', async () => {
    const { sample } = await deliveredFor({ format: 'glb' }),
      [material] = sample.summary.materials,
      map = (file: string) => ({ file, width: 2, height: 2 }),
      learn = (maps: typeof material.maps, white?: true) =>
        learnTarget(
          [{ ...sample, summary: { ...sample.summary, materials: [{ ...material, maps, ...(white && { white }) }] } }],
          { id: 'learned', title: 'Learned' },
        ).target;
    expect(learn({ occlusion: map('a.png'), metallicRoughness: map('a.png') }).textures.packing).toBe('one');
    expect(learn({ occlusion: map('a.png'), metallicRoughness: map('b.png') }).textures.packing).toBe('apart');
    expect(learn({ metallicRoughness: map('b.png') }).textures.packing).toBeUndefined();
    expect(learn({}, true).rules).toEqual({ 'materials.white': 'notes' });
    expect(learn({}).rules).toBeUndefined();
  });
});
