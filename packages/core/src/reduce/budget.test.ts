import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { budgetById, ROLE_IMPORTANCE, shareBudget, shareWithin } from './budget.ts';

const part = fc.record({
  triangles: fc.integer({ min: 0, max: 60_000 }),
  role: fc.constantFrom(...Object.keys(ROLE_IMPORTANCE), 'unheard of'),
  seen: fc.option(
    fc.integer({ min: 0, max: 20 }).map((n) => n / 20),
    { nil: undefined },
  ),
});
const parts = fc
  .array(part, { minLength: 1, maxLength: 30 })
  .map((rows) => rows.map((row, i) => ({ id: `part ${i}`, ...row })));
const seed = 21,
  sum = (values: readonly number[]) => values.reduce((a, b) => a + b, 0);

describe('shareBudget, whatever the parts', () => {
  it('gives whole numbers, no part more than it has, and all of them together what there is to give', () => {
    fc.assert(
      fc.property(parts, fc.integer({ min: 0, max: 400_000 }), (rows, budget) => {
        const shared = shareBudget(rows, budget),
          have = sum(rows.map((row) => row.triangles)),
          least = sum(rows.map((row) => Math.min(12, row.triangles)));
        for (const [i, row] of shared.entries()) {
          expect(Number.isInteger(row.to)).toBe(true);
          expect(row.to).toBeGreaterThanOrEqual(0);
          expect(row.to).toBeLessThanOrEqual(rows[i].triangles);
        }
        // Below what every part needs to be there at all, the budget can't be kept by sharing.
        if (budget >= least) expect(sum(shared.map((row) => row.to))).toBe(Math.min(budget, have));
      }),
      { seed, numRuns: 600 },
    );
  });
  it('leaves what was set by hand as it was set, within what the part has', () => {
    fc.assert(
      fc.property(
        parts,
        fc.integer({ min: 1000, max: 200_000 }),
        fc.nat(29),
        fc.integer({ min: -50, max: 90_000 }),
        (rows, budget, which, wish) => {
          const chosen = rows[which % rows.length],
            row = shareBudget(rows, budget, { [chosen.id]: wish }).find((entry) => entry.id === chosen.id);
          expect(row).toMatchObject({ fixed: true, to: Math.max(0, Math.min(chosen.triangles, wish)) });
        },
      ),
      { seed, numRuns: 300 },
    );
  });
  it('gives a part that counts more at least as much, give or take the last triangle', () => {
    fc.assert(
      fc.property(
        parts,
        fc.integer({ min: 1000, max: 200_000 }),
        fc.nat(29),
        fc.double({ min: 1.1, max: 8, noNaN: true }),
        (rows, budget, which, factor) => {
          const { id } = rows[which % rows.length],
            plain = shareBudget(rows, budget),
            before = plain.find((row) => row.id === id),
            more = shareBudget(rows, budget, {}, { [id]: (before?.importance ?? 1) * factor }).find(
              (row) => row.id === id,
            );
          expect(more?.to).toBeGreaterThanOrEqual((before?.to ?? 0) - 1);
        },
      ),
      { seed, numRuns: 300 },
    );
  });
  it('does not care in which order parts come, but for the odd triangle', () => {
    fc.assert(
      fc.property(parts, fc.integer({ min: 1000, max: 200_000 }), (rows, budget) => {
        const there = budgetById(shareBudget(rows, budget)),
          back = budgetById(shareBudget([...rows].reverse(), budget));
        for (const [id, to] of there) expect(Math.abs((back.get(id) ?? 0) - to)).toBeLessThanOrEqual(1);
      }),
      { seed, numRuns: 300 },
    );
  });
  it('has nothing to share where there is nothing', () => {
    expect(shareBudget([], 1000)).toEqual([]);
    expect(shareBudget([{ id: 'Empty', triangles: 0, role: 'body' }], 1000)[0].to).toBe(0);
    expect(shareBudget([{ id: 'Coat', triangles: 500, role: 'garment' }], 0)[0].to).toBeLessThanOrEqual(12);
  });
  it('gives the odd triangle to what counts most', () => {
    const parts = ['plain', 'dear'].map((id) => ({ id, triangles: 1000, role: 'body' as const }));
    const rows = shareBudget(parts as never, 100, {}, { plain: 1, dear: 2 });
    expect(rows.map((row) => row.to)).toEqual([33, 67]);
  });
});

describe('shareWithin, where kinds of parts have limits', () => {
  it('keeps every kind to its limit, gives the rest what that frees, and is shareBudget where nothing is limited', () => {
    fc.assert(
      fc.property(
        parts,
        fc.integer({ min: 0, max: 200_000 }),
        fc.dictionary(fc.constantFrom(...Object.keys(ROLE_IMPORTANCE)), fc.integer({ min: 1, max: 20_000 })),
        (rows, budget, limits) => {
          const shared = shareWithin(rows, budget, limits),
            of = (role: string) => sum(shared.filter((_, i) => rows[i].role === role).map(({ to }) => to));
          for (const [role, most] of Object.entries(limits)) expect(of(role)).toBeLessThanOrEqual(most);
          for (const [i, row] of shared.entries()) expect(row.to).toBeLessThanOrEqual(rows[i].triangles);
          expect(shareWithin(rows, budget, {}).map(({ to }) => to)).toEqual(
            shareBudget(rows, budget).map(({ to }) => to),
          );
          // What is freed goes to whoever can use it.
          const unlimited = rows.filter(({ role }) => limits[role] === undefined),
            plain = shareBudget(rows, budget);
          if (sum(unlimited.map(({ triangles }) => triangles)))
            expect(
              sum(shared.filter((_, i) => limits[rows[i].role] === undefined).map(({ to }) => to)),
            ).toBeGreaterThanOrEqual(
              sum(plain.filter((_, i) => limits[rows[i].role] === undefined).map(({ to }) => to)),
            );
        },
      ),
      { seed, numRuns: 300 },
    );
  });
  it('leaves what is set by hand, and takes it off what its kind may have', () => {
    const rows = [
        { id: 'fringe', triangles: 4000, role: 'hair' },
        { id: 'back', triangles: 6000, role: 'hair' },
        { id: 'face', triangles: 9000, role: 'head' },
      ],
      shared = shareWithin(rows, 12_000, { hair: 3000 }, { fringe: 1200 });
    expect(shared.map(({ id, to, fixed, held }) => [id, to, fixed, held])).toEqual([
      ['fringe', 1200, true, undefined],
      ['back', 1800, false, true],
      ['face', 9000, false, undefined],
    ]);
  });
});
