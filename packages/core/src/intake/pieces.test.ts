import { describe, expect, it } from 'vitest';
import { namePattern } from './pieces.ts';

describe('namePattern', () => {
  const body = ['Head', 'Torso', 'ArmL', 'ArmR', 'LegL', 'LegR', 'HandL', 'HandR', 'Teeth'];
  it('finds prefix and suffix, cut at a separator', () => {
    expect(namePattern(body.map((part, i) => `SGN_${part}_0${i}_geo`))).toEqual({
      prefix: 'SGN_',
      suffix: '_geo',
      pieces: 9,
    });
    expect(namePattern(body.map((part) => `fig.one|${part}`))).toEqual({ prefix: 'fig.one|', suffix: '', pieces: 9 });
  });
  it('takes letters that happen to agree for no pattern', () => {
    expect(namePattern(body.map((part) => `He${part}x`))).toBeNull();
  });
  it('leaves a figure of few parts alone', () => {
    expect(namePattern(body.slice(0, 4).map((part) => `SGN_${part}`))).toBeNull();
    expect(namePattern([])).toBeNull();
  });
});
