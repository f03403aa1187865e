import { afterEach, describe, expect, it, vi } from 'vitest';
import { ago, alphaWord, count, megabytes, millimetres, short } from './format.ts';

afterEach(() => {
  vi.useRealTimers();
});

describe('numbers as people read them', () => {
  it.each([
    [0, '0'],
    [999, '999'],
    [101_360, '101,360'],
    [1234.5, '1,235'],
  ])('count %d', (value, wanted) => {
    expect(count(value)).toBe(wanted);
  });
  it.each([
    [0, '0'],
    [999, '999'],
    [1000, '1.0k'],
    [9949, '9.9k'],
    [10_000, '10k'],
    [111_080, '111k'],
  ])('short %d', (value, wanted) => {
    expect(short(value)).toBe(wanted);
  });
  it.each([
    [0, '0.0'],
    [1_048_576, '1.0'],
    [104_752_742, '99.9'],
    [104_857_600, '100'],
    [536_870_912, '512'],
  ])('megabytes %d', (value, wanted) => {
    expect(megabytes(value)).toBe(wanted);
  });
  it.each([
    [0.0871, '0.087'],
    [1.04, '1.04'],
    [9.999, '10.00'],
    [41.94, '41.9'],
  ])('millimetres %d', (value, wanted) => {
    expect(millimetres(value)).toBe(wanted);
  });
});

describe('how long ago', () => {
  it.each([
    [0, '0 s ago'],
    [59, '59 s ago'],
    [60, '1 min ago'],
    [3599, '60 min ago'],
    [3600, '1 h ago'],
    [86_399, '24 h ago'],
    [86_400 * 3, '23/11/2026'],
    [-30, '0 s ago'],
  ])('%d seconds', (seconds, wanted) => {
    vi.useFakeTimers({ now: new Date('2026-11-26T12:00:00Z') });
    expect(ago(new Date(Date.now() - seconds * 1000).toISOString())).toBe(wanted);
  });
});

describe('words for alpha modes', () => {
  it('are plain, and what is unknown is said as it is', () => {
    expect(['OPAQUE', 'MASK', 'BLEND', 'ODD'].map(alphaWord)).toEqual(['opaque', 'cut-out', 'blended', 'ODD']);
  });
});
