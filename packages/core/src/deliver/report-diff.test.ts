import { describe, expect, it } from 'vitest';
import type { Check } from '../check/index.ts';
import { summarise } from '../inspect/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { diffReports, diffSentences, type ReportSide } from './report-diff.ts';

const check = (rule: string, measured: number | string, ok = true): Check => ({
  rule,
  title: rule,
  ok,
  blocking: true,
  measured,
  limit: 1,
  unit: 'mm',
  message: '',
  station: 'check',
});
const side = (checks: Check[], change: Partial<ReportSide['result']> = {}): ReportSide => ({
  result: { ...summarise(stickFigure(), 'stoker', { seen: false }), ...change },
  checks,
});

describe('two reports', () => {
  it('of the same say nothing', () => {
    const one = side([check('rest', 0.5), check('size', 'a × b')]);
    expect(diffReports(one, side([check('rest', 0.5 + 1e-12), check('size', 'a × b')]))).toEqual({
      rules: [],
      counts: [],
      names: [],
    });
    expect(diffSentences(diffReports(one, one))).toEqual([]);
  });
  it('are told apart by their rules, what breaks first', () => {
    const { verdict, rules } = diffReports(
      side([check('rest', 0.5), check('pose', 2, false), check('old', 1), check('same', 3)]),
      side([check('rest', 1.5, false), check('pose', 0.5), check('fresh', 1), check('same', 3.5)]),
    );
    expect(verdict).toBeUndefined();
    expect(rules.map(({ rule, turn }) => [rule, turn])).toEqual([
      ['rest', 'breaks'],
      ['pose', 'mended'],
      ['fresh', 'new'],
      ['old', 'gone'],
      ['same', 'other'],
    ]);
  });
  it('by their sizes, and by names that are gone or new, each as often as it is', () => {
    const before = side([], {
        morphTargets: ['smile', 'blink'],
        textures: ['skin', 'skin', 'hair'].map((name) => ({ name })),
      }),
      after = side([], {
        morphTargets: ['blink', 'frown'],
        textures: ['skin', 'hair'].map((name) => ({ name })),
        triangles: 7,
        textureMemoryBytes: 3 * 1048576,
      }),
      diff = diffReports(before, after);
    expect(diff.names).toEqual([
      { kind: 'maps', gone: ['skin'], added: [] },
      { kind: 'morphs', gone: ['smile'], added: ['frown'] },
    ]);
    expect(diff.counts.map(({ name, after: is }) => [name, is])).toEqual([
      ['Triangles', 7],
      ['Texture memory', 3],
    ]);
    expect(diffSentences(diff)).toContain('Gone of the morphs: “smile”');
  });
});
