import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import { nextNumber, numbersIn, type NumberScan } from './numbers.ts';

const bytesOf = (text: string) => new TextEncoder().encode(text);
/** The first number of a text, and what is left behind it; null where it begins with none. */
function first(text: string, end = text.length): { value: number; rest: string } | null {
  const bytes = bytesOf(text),
    scan: NumberScan = { at: 0, value: 0 };
  return nextNumber(bytes, end, scan) ? { value: scan.value, rest: text.slice(scan.at, end) } : null;
}

describe('nextNumber', () => {
  it.each([
    ['0', 0],
    ['-0.5', -0.5],
    ['.5', 0.5],
    ['5.', 5],
    ['+3', 3],
    ['-.25e2', -25],
    ['1e-3', 0.001],
    ['1E+2', 100],
    ['007', 7],
    ['123456789012345', 123456789012345],
    ['0.000000000000001', 1e-15],
    ['12345678901234567890', 1.2345678901234567e19],
    ['1e400', Infinity],
    ['4.9e-324', 4.9e-324],
    ['-0', -0],
  ])('reads %s', (text, value) => {
    expect(first(text)).toEqual({ value, rest: '' });
  });
  it.each([
    ['nan', Number.NaN],
    ['-inf', -Infinity],
    ['Infinity', Infinity],
    ['-nan(ind)', Number.NaN],
  ])('takes %s for what it says', (text, value) => {
    expect(first(text)?.value).toEqual(value);
  });
  it.each(['', '   ', 'x1', '-', '+', '.', '-.e3', 'e5', '#', '<a>'])('finds no number in “%s”', (text) => {
    expect(first(text)).toBe(null);
  });
  it('stops where the number ends, and where it is told to', () => {
    expect(first('1.5/2')).toEqual({ value: 1.5, rest: '/2' });
    expect(first('12,34')).toEqual({ value: 12, rest: ',34' });
    expect(first('1.2.3')).toEqual({ value: 1.2, rest: '.3' });
    expect(first('3e', 2)).toEqual({ value: 3, rest: 'e' });
    // The end lies inside the text: what is behind it must not be looked at.
    expect(first('1234567', 3)).toEqual({ value: 123, rest: '' });
    expect(first('1.5e9', 3)).toEqual({ value: 1.5, rest: '' });
    expect(first('-7', 1)).toBe(null);
  });
  it('reads whatever has up to fifteen digits exactly as the language does', () => {
    fc.assert(
      fc.property(
        fc.bigInt({ min: 0n, max: 999_999_999_999_999n }),
        fc.integer({ min: 0, max: 15 }),
        fc.boolean(),
        (digits, places, negative) => {
          const whole = digits.toString().padStart(places + 1, '0'),
            text = `${negative ? '-' : ''}${places ? `${whole.slice(0, -places)}.${whole.slice(-places)}` : whole}`;
          if (text.replace(/\D/g, '').length <= 15) expect(first(text)?.value).toBe(Number(text));
        },
      ),
      { seed: 11, numRuns: 3000 },
    );
  });
  it('reads any double within its last place, however it is written', () => {
    fc.assert(
      fc.property(
        fc.double({ noNaN: true, noDefaultInfinity: true, min: -1e30, max: 1e30 }),
        fc.constantFrom('plain', 'exponential', 'fixed'),
        (value, how) => {
          const text =
              how === 'plain' ? String(value) : how === 'exponential' ? value.toExponential(12) : value.toFixed(9),
            wanted = Number(text),
            found = first(text)?.value as number;
          expect(Math.abs(found - wanted)).toBeLessThanOrEqual(Math.abs(wanted) * 2 ** -51);
        },
      ),
      { seed: 12, numRuns: 3000 },
    );
  });
});

describe('numbersIn', () => {
  it('reads lists parted by any blanks and stops at what is none', () => {
    expect([...numbersIn(bytesOf(' 1\t2\r\n-3.5  4e1 x 5'), 0, 20)]).toEqual([1, 2, -3.5, 40]);
    expect([...numbersIn(bytesOf('<f>1 2 3</f>'), 3, 8)]).toEqual([1, 2, 3]);
    expect(numbersIn(bytesOf(''), 0, 0).length).toBe(0);
  });
  it('asks for no more room than the text could hold, whatever count a file claims', () => {
    expect(numbersIn(bytesOf('1 2 3'), 0, 5, 2_000_000_000).buffer.byteLength).toBeLessThan(1000);
    fc.assert(
      fc.property(fc.array(fc.integer({ min: -999, max: 999 }), { maxLength: 300 }), fc.nat(1000), (list, claimed) => {
        const text = list.join(' ');
        expect([...numbersIn(bytesOf(text), 0, text.length, claimed)]).toEqual(list.map((value) => value || 0));
      }),
      { seed: 13, numRuns: 200 },
    );
  });
});
