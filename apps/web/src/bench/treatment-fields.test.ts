import { parseTreatment, SHIPPED_TREATMENTS, type Treatment } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import { freeId } from '../shared/free-id.ts';
import { numberIn, piecesOf, TREATMENT_NUMBERS, tintOf, withNumber, withPieces, withTint } from './treatment-fields.ts';

const empty: Treatment = { schema: 1, id: 'mine', title: 'Mine', kinds: [], channels: {} };

describe('fields of a treatment', () => {
  it.each(TREATMENT_NUMBERS.filter(({ field }) => field).map((number) => [number.label, number] as const))(
    '“%s” goes in, is valid, and comes out without a trace',
    (_, number) => {
      const value = Math.min(number.most, 1),
        set = withNumber(empty, number, value);
      expect(numberIn(set, number)).toBe(value);
      expect(parseTreatment(set)).toEqual(set);
      // A coat stays when its roughness goes; it goes with its strength.
      const without = withNumber(set, number, undefined);
      expect(numberIn(without, number)).toBeUndefined();
      expect(parseTreatment(withNumber(without, { ...number, field: 'strength' }, undefined))).toEqual(empty);
    },
  );
  it('a number leaves the others of its channel, and a shipped treatment as it is', () => {
    const [roughness] = TREATMENT_NUMBERS,
      skin = SHIPPED_TREATMENTS[0],
      before = JSON.stringify(skin),
      more = withNumber(skin, { channel: 'roughness', field: 'most' }, 0.8);
    expect(more.channels.roughness).toEqual({ least: 0.3, most: 0.8 });
    expect(withNumber(more, roughness, undefined).channels.roughness).toEqual({ most: 0.8 });
    expect(JSON.stringify(skin)).toBe(before);
  });
  it('a tint is what was chosen, goes with its strength, and leaves brightness', () => {
    const tinted = withTint(empty, '#804020', 0.5);
    expect(tintOf(tinted)).toBe('#804020');
    expect(parseTreatment(tinted).channels.color).toMatchObject({ strength: 0.5 });
    expect(withTint(tinted, '')).toEqual(empty);
    expect(withTint(tinted, '#80')).toEqual(empty);
    const bright = withNumber(tinted, { channel: 'color', field: 'brightness' }, 2);
    expect(withTint(bright, '').channels.color).toEqual({ strength: 0.5, brightness: 2 });
  });
  it('pieces are copied by channel or by number, and leave what else the other says', () => {
    const from = withTint(
        withNumber(withNumber(empty, { channel: 'roughness', field: 'least' }, 0.4), { channel: 'ior' }, 1.4),
        '#804020',
        0.5,
      ),
      bright = withNumber(from, { channel: 'color', field: 'brightness' }, 1.2),
      to = withNumber(
        withNumber({ ...empty, id: 'other' }, { channel: 'roughness', field: 'most' }, 0.9),
        { channel: 'color', field: 'saturation' },
        0.5,
      );
    expect(piecesOf(bright).map(({ key }) => key)).toEqual([
      'roughness',
      'ior',
      'color',
      'color.tint',
      'color.brightness',
    ]);
    const whole = withPieces(to, bright, ['roughness', 'ior']);
    expect(whole.id).toBe('other');
    expect(whole.channels).toEqual({ roughness: { least: 0.4 }, ior: 1.4, color: { strength: 1, saturation: 0.5 } });
    const tinted = withPieces(to, bright, ['color.tint']);
    expect(tintOf(tinted)).toBe('#804020');
    expect(tinted.channels).toMatchObject({ roughness: { most: 0.9 }, color: { strength: 0.5, saturation: 0.5 } });
    expect(tinted.channels.color?.brightness).toBeUndefined();
    expect(parseTreatment(tinted)).toEqual(tinted);
    // What the first doesn't say is not copied.
    expect(withPieces(to, bright, ['clearcoat'])).toEqual(to);
    expect(JSON.stringify(to)).not.toContain('ior');
  });
  it('ids are of letters and digits, each once', () => {
    expect(freeId('Hair, wet!', [], 'treatment')).toBe('hair-wet');
    expect(freeId('Hair, wet!', ['hair-wet', 'hair-wet-2'], 'treatment')).toBe('hair-wet-3');
    expect(freeId('髪', [], 'treatment')).toBe('treatment');
  });
});
