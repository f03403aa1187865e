import { describe, expect, it } from 'vitest';
import { outcomeOf } from '../shared/outcome.ts';
import { badness, type Cell, cellsOf, isAtWork, keyOf, summaryOf, wantsRun } from './cells.ts';

type Entry = NonNullable<Cell['entry']>;
const verdict = (state: string, blocking = 0, noted = 0) => ({
    state,
    rules: 9,
    holding: 9 - blocking - noted,
    blocking,
    noted,
  }),
  entry = (change: object): Entry =>
    ({
      id: '1',
      targetId: 'deck',
      state: 'done',
      verdict: verdict('holds'),
      runId: 'r',
      progress: 1,
      problem: null,
      worst: null,
      ...change,
    }) as Entry,
  cell = (change: object | null): Cell =>
    ({
      character: { id: 'mate', name: 'Mate' },
      target: { id: 'deck', title: 'Deck' },
      entry: change && entry(change),
    }) as Cell;

describe('cells of cast by targets', () => {
  it('are everybody for every target, with what became of each', () => {
    const made = entry({ targetId: 'pier' }),
      cells = cellsOf(
        [
          { id: 'mate', conversions: [made] },
          { id: 'cook', conversions: [] },
        ] as never,
        [{ id: 'deck' }, { id: 'pier' }] as never,
      );
    expect(cells.map(keyOf)).toEqual(['mate deck', 'mate pier', 'cook deck', 'cook pier']);
    expect(cells.map((one) => one.entry)).toEqual([null, made, null, null]);
  });
  it.each([
    [null, '–', true, false],
    [{ state: null, verdict: null }, '–', true, false],
    [{ state: 'queued', verdict: null }, '○ waiting', false, true],
    [{ state: 'running', verdict: null, progress: 0.346 }, '◌ 35 %', false, true],
    [{ state: 'cancelling', verdict: null }, '◌ stopping', false, true],
    [{ state: 'cancelled', verdict: null }, '○ stopped', true, false],
    [{ state: 'failed', verdict: null }, '■ failed', true, false],
    [{}, '● deliverable', false, false],
    [{ verdict: verdict('noted', 0, 2) }, '◐ deliverable, 2 noted', false, false],
    [{ verdict: verdict('blocks', 1) }, '■ 1 blocks', true, false],
    [{ verdict: verdict('blocks', 3) }, '■ 3 block', true, false],
  ])('%j says %s', (change, says, wants, active) => {
    expect([outcomeOf(cell(change).entry), wantsRun(cell(change)), isAtWork(cell(change))]).toEqual([
      says,
      wants,
      active,
    ]);
  });
  it('are counted, and ordered by how bad they are', () => {
    const worst = (share: number) => ({ worst: { rule: 'x', title: 'X', measured: 1, limit: 1, unit: '', share } }),
      cells = [
        cell(worst(0.5)),
        cell({ state: 'failed', verdict: null }),
        cell({ verdict: verdict('blocks', 1), ...worst(1.2) }),
        cell({ verdict: verdict('noted', 0, 1), ...worst(7) }),
        cell(worst(0.99)),
        cell({ state: 'running', verdict: null }),
        cell({ verdict: verdict('blocks', 1), ...worst(4) }),
      ];
    expect(summaryOf(cells)).toBe('3 of 7 deliverable, 1 at work, 2 blocked, 1 failed.');
    expect(summaryOf([cell({})])).toBe('1 of 1 deliverable.');
    expect(cells.map((_, i) => i).sort((a, b) => badness(cells[b]) - badness(cells[a]))).toEqual([1, 6, 2, 3, 4, 0, 5]);
  });
});
