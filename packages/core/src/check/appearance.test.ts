import { describe, expect, it } from 'vitest';
import { summarise } from '../inspect/index.ts';
import type { AppearanceCover, AppearanceRegion, AppearanceRow, Parity } from '../parity/index.ts';
import { SHIPPED_TARGETS, type Target } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { checkCharacter } from './rules.ts';

const document = stickFigure(),
  summary = summarise(document, 'Stick', { seen: false });
const target: Target = {
  ...SHIPPED_TARGETS[0],
  appearance: { nearestM: 0.5, other: 100, changed: 200, drawn: 50, cover: 40, noteOnly: [] },
};
const region = (
  weight: number,
  from: string | null,
  to: string | null,
  more: Partial<AppearanceRegion> = {},
): AppearanceRegion => ({
  pixels: 20,
  mm2: 1234,
  deltaE: 17.4,
  weight,
  at: [0, 1, 0],
  joint: 'head',
  from,
  to,
  share: 1,
  ...more,
});
const row = (
  converted: AppearanceRegion[],
  drawn: AppearanceRegion[] = [],
  coverage: AppearanceCover[] = [],
): AppearanceRow => {
  const loss = { deltaE: { mean: 0.1, p99: 1 }, structure: 1, light: 'side' as const };
  return {
    view: { name: 'eyes', middle: [0, 1.6, 0.1], heightM: 0.13, yaw: 0, pitch: 0 },
    converted: { ...loss, regions: converted },
    drawn: { ...loss, regions: drawn },
    coverage,
  };
};
const judged = (views: AppearanceRow[] | undefined, aim = target) =>
  Object.fromEntries(
    checkCharacter({
      document,
      summary,
      target: aim,
      parity: {
        samples: 1,
        schema: 1,
        shape: { rest: { rmsMm: 0, p99Mm: 0, maxMm: 0 }, parts: [], morphs: [], poses: [] },
        appearance: { baseColorDeltaE: { mean: 0, p99: 0 }, views },
        inventory: { lost: [], added: [], renamed: [], leftOut: [] },
      } satisfies Parity,
    })
      .filter((check) => check.rule.startsWith('appearance.'))
      .map((check) => [check.rule.slice(11), check]),
  );

describe('rules of appearance', () => {
  it('say nothing where nobody looked, and hold where nothing differs', () => {
    expect(judged(undefined)).toEqual({});
    const found = judged([row([])]);
    expect(Object.keys(found)).toEqual(['other', 'changed', 'drawn', 'cover']);
    expect(Object.values(found).every((check) => check.ok && check.measured === 0)).toBe(true);
  });
  it('take the heaviest place of their sort, and say what shows where', () => {
    const found = judged([
      row([region(90, 'Hair', 'Scalp'), region(150, 'Skin', 'Skin')], [region(40, 'Hair', 'Hair')]),
      row([region(101, null, 'Hair')], [region(60, 'Hair', 'Scalp')]),
    ]);
    expect(found.other).toMatchObject({ ok: false, blocking: true, measured: 101, limit: 100, station: 'materials' });
    expect(found.other.message).toBe(
      '“Hair” shows where nothing shows in the source (eyes by head, 12 cm², ΔE 17): weight 101, the target allows 100.',
    );
    expect(found.changed).toMatchObject({ ok: true, measured: 150 });
    expect(found.drawn).toMatchObject({ ok: false, measured: 60 });
    expect(found.drawn.message).toContain('“Scalp” shows where “Hair” is meant');
  });
  it('leave out what a step meant, and only note what the target says', () => {
    const meant = region(5000, 'Teeth', 'Skin_Head', { meant: 'intake.assemble' });
    expect(judged([row([meant])]).other).toMatchObject({ ok: true, measured: 0 });
    const lenient = { ...target, appearance: { ...target.appearance, noteOnly: ['other' as const] } };
    expect(judged([row([region(5000, 'a', 'b')])], lenient).other).toMatchObject({ ok: false, blocking: false });
  });
  it('miss a material that covers less, as meant or as drawn, where it covered something', () => {
    const cover = (material: string, source: number, result: number, drawn = result): AppearanceCover => ({
      material,
      source,
      result,
      drawn,
      missed: { result: Math.max(0, source - result), drawn: Math.max(0, source - drawn) },
      surface: { roughness: 0, degrees: 0 },
    });
    const of = (...coverage: AppearanceCover[]) => judged([row([], [], coverage)]).cover;
    expect(of(cover('Lashes', 400, 390))).toMatchObject({ ok: true, measured: 3 });
    expect(of(cover('Lashes', 400, 0))).toMatchObject({ ok: false, measured: 100 });
    expect(of(cover('Lashes', 400, 390, 150))).toMatchObject({ ok: false, measured: 63 });
    expect(of(cover('Lashes', 400, 390, 150)).message).toContain('“Lashes” is missed on 63 % of its pixels');
    // A few pixels tell nothing, and more is no loss.
    expect(of(cover('Lashes', 90, 0), cover('Hair', 400, 900))).toMatchObject({ ok: true, measured: 0 });
    // What goes and nobody sees is not missed.
    expect(of({ ...cover('Scalp', 800, 400, 300), missed: { result: 8, drawn: 40 } })).toMatchObject({
      ok: true,
      measured: 5,
    });
    const meant = region(500, 'Teeth', 'Skin_Head', { meant: 'intake.assemble' });
    expect(judged([row([meant], [], [cover('Teeth', 900, 0)])]).cover).toMatchObject({ ok: true });
  });
});
