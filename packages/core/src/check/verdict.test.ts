import { describe, expect, it } from 'vitest';
import { verdictOf, worstOf } from './verdict.ts';

const check = (rule: string, measured: number | string, limit: number | string, ok = true, blocking = true) => ({
  rule,
  title: rule.toUpperCase(),
  measured,
  limit,
  unit: 'mm',
  ok,
  blocking,
});

describe('what stands worst', () => {
  it('is the rule that blocks by most, before one that is noted, before the number nearest to its limit', () => {
    const near = check('near', 9, 10),
      far = check('far', 1, 10),
      words = check('words', 'opens', 'opens'),
      none = check('none', 0, 0),
      noted = check('noted', 30, 10, false, false),
      blocks = check('blocks', 12, 10, false),
      more = check('more', 20, 10, false);
    expect(worstOf([far, near, words, none])).toEqual({
      rule: 'near',
      title: 'NEAR',
      measured: 9,
      limit: 10,
      unit: 'mm',
      share: 0.9,
    });
    expect(worstOf([near, noted])?.rule).toBe('noted');
    expect(worstOf([near, noted, blocks, more])?.rule).toBe('more');
    expect(worstOf([near, check('gone', 3, 0, false)])).toMatchObject({ rule: 'gone', share: null });
    expect(worstOf([words, none])).toBeNull();
    expect(worstOf([])).toBeNull();
    expect(verdictOf([near, noted, blocks])).toEqual({ state: 'blocks', rules: 3, holding: 1, noted: 1, blocking: 1 });
  });
});
