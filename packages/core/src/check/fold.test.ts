import { describe, expect, it } from 'vitest';
import { foldedChecks } from './fold.ts';
import type { Check } from './judgement.ts';
import { judgeLevels, levelPixels, type LevelRow } from './levels.ts';

const check = (rule: string, ok: boolean, measured: number | string = ok ? 0 : 1): Check => ({
  rule,
  title: rule,
  ok,
  blocking: true,
  measured,
  limit: 0,
  unit: '',
  message: `${rule} is ${ok ? 'well' : 'broken'}.`,
  station: 'deliver',
});

describe('answers over several models', () => {
  it('are one answer a rule: the worst, with the model it is about', () => {
    const folded = foldedChecks([
      { of: 'a.glb', checks: [check('x', true), check('y', false, 2), check('z', true)] },
      { of: 'b.glb', checks: [check('x', false), check('y', false, 7), check('z', true)] },
    ]);
    expect(folded.map(({ rule, ok, measured, message }) => [rule, ok, measured, message])).toEqual([
      ['x', false, 1, 'b.glb: x is broken.'],
      ['y', false, 7, 'b.glb: y is broken. 2 of 2 models break this rule.'],
      ['z', true, 0, 'z is well.'],
    ]);
  });
  it('of one model are its own', () => {
    const all = [check('x', false), check('y', true)];
    expect(foldedChecks([{ of: '', checks: all }])).toEqual(all);
  });
});

describe('rules of levels', () => {
  const row = (given: Partial<LevelRow>): LevelRow => ({
    n: 1,
    fromM: 10,
    triangles: 900,
    most: 1000,
    vertices: 500,
    morphs: 0,
    restRmsMm: 1,
    poseRmsMm: 2,
    ...given,
  });
  it('count in pixels of a picture of 1080 rows that shows 50 degrees', () => {
    // Ten metres away such a picture shows 9.326 m from top to bottom: a row is 8.635 mm.
    expect(levelPixels(row({ poseRmsMm: 8.635 }))).toBeCloseTo(1, 3);
    expect(levelPixels(row({ fromM: 20, poseRmsMm: 8.635 }))).toBeCloseTo(0.5, 3);
  });
  it('hold where every level can take the place of the nearest; one that looks otherwise stops delivery', () => {
    expect(judgeLevels([])).toEqual([]);
    const looks = { weight: 10, share: 0.2, view: 'figure, front', from: 'Skin', to: 'Skin' };
    expect(judgeLevels([row({ looks })]).map(({ rule, ok }) => [rule, ok])).toEqual([
      ['levels.triangles', true],
      ['levels.shape', true],
      ['levels.looks', true],
    ]);
    const bad = judgeLevels([
      row({ looks }),
      row({ n: 2, triangles: 1200, most: 500, poseRmsMm: 30, looks: { ...looks, share: 1.4, to: 'Coat' } }),
    ]);
    expect(bad.map(({ ok, blocking, measured, limit }) => [ok, blocking, measured, limit])).toEqual([
      [false, false, 1200, 500],
      [false, false, 3.47, 1.5],
      [false, true, 140, 100],
    ]);
    for (const { message } of bad) expect(message).toContain('Level 2');
    expect(bad[2].message).toContain('“Coat” shows where “Skin” does');
  });
});
