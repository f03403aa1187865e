import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { NAMED } from '../../../scripts/mutants/named.mjs';
import { drawMutants } from '../../../scripts/mutants/draw.mjs';

const text = (path: string) => readFileSync(new URL(path, import.meta.url), 'utf8');

describe('faults put in on purpose', () => {
  it.each(NAMED)('$what: what it replaces stands there once', ({ room, file, find, put }) => {
    const pieces = text(`./${room}/${file}`).split(find);
    expect(pieces).toHaveLength(2);
    expect(put).not.toBe(find);
  });
  it('are drawn from every kind, the same for the same seed, each another text', () => {
    const code =
        'export const f = (a: number) => {\n  if (a < 3 && a > 0) g(Math.max(a + 5, 1));\n  return a * 7;\n};\n',
      all = drawMutants([{ path: 'f.ts', text: code }], 100, 1);
    expect(all.map((mutant) => mutant.what).sort()).toEqual([
      '&& → || in a < 3 && a > 0',
      '* → / in a * 7',
      '+ → - in a + 5',
      '3 → 9 in a < 3',
      '5 → 15 in a + 5',
      '7 → 21 in a * 7',
      '< → >= in a < 3',
      '> → <= in a > 0',
      'left out: g(Math.max(a + 5, 1));',
      'turned over: Math.max(a + 5, 1)',
      'turned over: a < 3 && a > 0',
    ]);
    expect(new Set(all.map((mutant) => mutant.text)).size).toBe(all.length);
    expect(all.every((mutant) => mutant.text !== code && mutant.line >= 2)).toBe(true);
    expect(drawMutants([{ path: 'f.ts', text: code }], 4, 7)).toEqual(
      drawMutants([{ path: 'f.ts', text: code }], 4, 7),
    );
  });
});
