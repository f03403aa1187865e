import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { sheetFigure } from '../testing/sheet-figure.ts';
import { morphCosts } from './cost.ts';
import { dropStep } from './drop-step.ts';
import { duplicatesAmong, planDrops } from './tidy.ts';

const figure = () =>
  sheetFigure({
    smile: (x) => [0, 0.01 * x, 0],
    empty: () => [0, 0, 0],
    grin: (x) => [0, 0.01 * x, 0],
    tiny: (x) => [0, 0.00005 * x, 0],
    brow: (_, y) => [0, 0.02 * y, 0],
    nose: (_, y) => [0, 0, 0.004 * y],
  });
const ASKED = { names: [], keep: [], empty: true, duplicates: true, belowMm: 0.1 };
const plan = (options: Partial<Parameters<typeof planDrops>[1]> = {}) =>
  planDrops(figure().document, { ...ASKED, ...options }).map(({ name, reason, of }) => [
    name,
    reason,
    ...(of ? [of] : []),
  ]);

describe('what may go', () => {
  it('is empty, the same as another, or nearly nothing, and nothing else', () => {
    expect(plan()).toEqual([
      ['empty', 'empty'],
      ['grin', 'duplicate', 'smile'],
      ['tiny', 'small'],
    ]);
    expect(plan({ empty: false, duplicates: false, belowMm: 0 })).toEqual([]);
  });
  it('keeps what has to stay, and lets it stand for its double', () => {
    expect(plan({ keep: ['grin', 'tiny', 'empty'] })).toEqual([['smile', 'duplicate', 'grin']]);
  });
  it('meets a limit by those that move least, of two alike the later one', () => {
    expect(plan({ empty: false, duplicates: false, belowMm: 0, max: 3 })).toEqual([
      ['empty', 'limit'],
      ['tiny', 'limit'],
      ['nose', 'limit'],
    ]);
    expect(plan({ duplicates: false, max: 2 })).toEqual([
      ['empty', 'empty'],
      ['grin', 'limit'],
      ['tiny', 'small'],
      ['nose', 'limit'],
    ]);
    expect(plan({ max: 0, keep: ['nose'] }).map(([name]) => name)).not.toContain('nose');
  });
  it('takes no two for one because their sums agree', () => {
    // Vertices 0 and 101 weigh alike in the sum.
    const { document } = sheetFigure(
      {
        here: (x, y) => [0, x === -1 && y === 0 ? 0.01 : 0, 0],
        there: (x, y) => [0, x === 1 && y === 5 / 16 ? 0.01 : 0, 0],
      },
      { columns: 16, rows: 16 },
    );
    expect(duplicatesAmong(document, ['here', 'there'])).toEqual([]);
    expect(morphCosts(document).map(({ moves }) => moves)).toEqual([1, 1]);
  });
  it('tells shapes apart that differ in one number, however many are alike', () => {
    const many = Object.fromEntries(
        Array.from({ length: 300 }, (_, i) => [
          `m${i}`,
          (x: number, y: number) => [0, x > 0.9 && y > 0.9 ? 1e-4 * i : 0.01, 0] as const,
        ]),
      ),
      { document } = sheetFigure(many);
    expect(duplicatesAmong(document, Object.keys(many))).toEqual([]);
  });
});

describe('the step', () => {
  it('drops what is asked, says why and what it costs, and stops nothing else', async () => {
    const { document } = figure(),
      target = { ...SHIPPED_TARGETS[0], morphs: { max: 3, keep: ['nose'] } },
      settings = v.parse(dropStep.settings, { names: ['brow'], empty: true, duplicates: true, toLimit: true }),
      did = await dropStep.run(document, settings, target, testContext());
    expect(listMorphNames(document)).toEqual(['smile', 'tiny', 'nose']);
    expect(did.findings.map(({ code, message }) => [code, message])).toEqual([
      [
        'morphs.dropped-unwanted',
        '1 morph was dropped because nobody wants them: “brow”. It moves up to 20.0 mm.'.replace(
          'nobody wants them',
          'nobody wants it',
        ),
      ],
      ['morphs.dropped-empty', '1 morph was dropped because it moves nothing: “empty”.'],
      ['morphs.dropped-duplicate', '1 morph was dropped because another has the same shape: “grin” (as “smile”).'],
    ]);
    expect(did.measures.find(({ code }) => code === 'morph-targets')).toMatchObject({ source: 6, result: 3 });
  });
  it('does nothing where nothing is asked, whatever the target’s limit', () => {
    expect(
      dropStep.applies(
        figure().document,
        { ...SHIPPED_TARGETS[0], morphs: { max: 1, keep: [] } },
        v.parse(dropStep.settings, {}),
      ),
    ).toBe(false);
  });
});
