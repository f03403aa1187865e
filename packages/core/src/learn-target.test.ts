import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { copyDocument } from './character/index.ts';
import { convert } from './deliver/index.ts';
import { readCharacter, writeGlb } from './formats/index.ts';
import { learnTarget, type Sample, summarise } from './inspect/index.ts';
import { defaultRecipe } from './recipe/index.ts';
import { learnFigure } from './rig/index.ts';
import { EXPRESSION_SETS, SHIPPED_FIGURES, withFigure } from './targets/index.ts';
import { dressed } from './testing/dressed.ts';
import { figureWithAll } from './testing/figure-with-all.ts';
import { stickFigure } from './testing/stick-figure.ts';
import { testContext } from './testing/context.ts';

async function sampleOf(document: ReturnType<typeof stickFigure>, path = 'stoker.glb') {
  const bytes = (await writeGlb(document)) as Uint8Array<ArrayBuffer>,
    read = await readCharacter([{ path: 'stoker.glb', bytes }]),
    sample: Sample = {
      summary: summarise(read.document, 'Stoker'),
      files: [{ path, bytes: bytes.length, used: true }],
    };
  return { sample, document: read.document };
}

describe('a target learned from a sample', () => {
  it.each([
    ['all there is', figureWithAll],
    [
      'clothes',
      () => {
        const document = dressed();
        for (const material of document.getRoot().listMaterials()) material.setBaseColorFactor([0.2, 0.3, 0.5, 1]);
        return document;
      },
    ],
    ['a body alone', () => stickFigure({ rings: 8, sides: 10 })],
  ])('with %s holds for the sample itself, rule by rule', async (_, make) => {
    const { sample, document } = await sampleOf(make()),
      figure = learnFigure(document, { id: 'stoker-figure', title: 'Stoker figure' }),
      { target, evidence } = learnTarget([sample], { id: 'learned', title: 'Learned', figure }),
      { report } = await convert({
        name: 'Stoker',
        source: { document: async () => copyDocument(document) },
        target: withFigure(target, SHIPPED_FIGURES),
        recipe: defaultRecipe(),
        created: '2026-01-01',
        samples: 500,
        appearance: false,
        eyes: look,
        context: testContext(),
      });
    expect(report.checks.filter(({ ok }) => !ok).map(({ message }) => message)).toEqual([]);
    expect(report.result.joints.map(({ name }) => name).sort()).toEqual(
      sample.summary.joints.map(({ name }) => name).sort(),
    );
    // Every limit has what it was taken from.
    for (const field of ['triangles.max', 'influences.max', 'materials.max', 'morphs.max', 'textures.maxSize'])
      expect(evidence.map((row) => row.field)).toContain(field);
  });

  it('from several is as roomy as the largest needs', async () => {
    const [small, large] = [
        await sampleOf(stickFigure({ rings: 4, sides: 6 })),
        await sampleOf(stickFigure({ rings: 14, sides: 12 })),
      ],
      { target, evidence } = learnTarget([small.sample, large.sample], { id: 'learned', title: 'Learned' }),
      most = large.sample.summary.triangles;
    expect(target.triangles.max).toBeGreaterThanOrEqual(most);
    expect(target.triangles.max).toBeLessThan(most * 1.25);
    expect(evidence.find(({ field }) => field === 'triangles.max')?.says).toContain(most.toLocaleString('en-GB'));
  });

  it('says what nobody can tell from it, and knows a body without joints', async () => {
    const document = stickFigure();
    for (const node of document.getRoot().listNodes()) node.setSkin(null);
    for (const skin of document.getRoot().listSkins()) skin.dispose();
    const { sample } = await sampleOf(document, 'stoker.bin'),
      { target, doubts } = learnTarget([{ ...sample, summary: { ...sample.summary, joints: [] } }], {
        id: 'learned',
        title: 'Learned',
      });
    expect(target.joints.keep).toBe('none');
    expect(doubts.map(({ field }) => field)).toEqual(
      expect.arrayContaining(['package.format', 'appearance.nearestM', 'parity', 'package.clips']),
    );
  });

  it('recognises a set of expressions by its names, and a format by its file', async () => {
    const { sample } = await sampleOf(stickFigure()),
      [set] = EXPRESSION_SETS,
      { target } = learnTarget(
        [
          {
            summary: { ...sample.summary, morphTargets: set.entries.map(({ name }) => name) },
            files: [{ path: 'a/stoker.vrm', bytes: 9 * 1048576 }],
          },
        ],
        { id: 'learned', title: 'Learned' },
      );
    expect(target.morphs.expressions).toBe(set.id);
    expect(target.package.format).toBe('vrm');
    expect(target.package.maxMB).toBeGreaterThanOrEqual(9);
  });
});
