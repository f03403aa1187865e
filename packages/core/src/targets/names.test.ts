import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { NamesSchema, namesBy } from './names.ts';

const says = { character: 'Harbour pilot', target: 'bridge' };
const by = (text: string, names: string[], more?: Parameters<typeof namesBy>[3]) =>
  namesBy(
    text,
    names.map((name) => ({ name, kind: 'skin' })),
    says,
    more,
  );

describe('names by a pattern', () => {
  it('have what stands in its places', () => {
    expect(by('{character}/{target}: {kind} {name} {n}', ['Head', 'Arm']).names).toEqual([
      'Harbour pilot/bridge: skin Head 01',
      'Harbour pilot/bridge: skin Arm 02',
    ]);
    // What is in a name is no place of the pattern.
    expect(by('A {name}', ['{kind}']).names).toEqual(['A {kind}']);
  });
  it('are all different, whoever came first keeps it, and others’ names are taken', () => {
    expect(by('{name}', ['a', 'a', 'A', 'a_2', 'b'], { taken: ['b'] })).toEqual({
      names: ['a', 'a_2', 'A', 'a_2_2', 'b_2'],
      collided: 3,
      cut: 0,
    });
    expect(by('{name}', ['a', 'A'], { files: true }).names).toEqual(['a', 'A_2']);
  });
  it('of files are safe on every disk, in any script', () => {
    expect(by('T_{name}', ['Haut/Gesicht:1', 'лицо', '..'], { files: true }).names).toEqual([
      'T_Haut_Gesicht_1',
      'T_лицо',
      'T_..',
    ]);
    expect(by('{name}', ['..hidden', ''], { files: true }).names).toEqual(['_hidden', 'unnamed']);
  });
  it('are cut where they are too long, at a letter and not within one', () => {
    const { names, cut } = by('{name}', ['😀'.repeat(200)]);
    expect(cut).toBe(1);
    expect([...names[0]]).toHaveLength(80);
    expect(names[0]).not.toContain('�');
  });
  it.each([
    [{ part: 'all alike' }, /\{name\} or \{n\}/],
    [{ file: 'model' }, /\{character\}/],
    [{ map: '{name}/{n}' }, /without/],
    [{ material: '{name} {size}' }, /no other places/],
    [{ part: '' }, /./],
  ])('%j is refused', (names, message) => {
    const { success, issues } = v.safeParse(NamesSchema, names);
    expect(success).toBe(false);
    expect(issues?.[0].message).toMatch(message);
  });

  it('that a pattern gave already stay as they are, where a sign parts them from what it adds', () => {
    const says = { character: 'Stoker', target: 'Bridge' },
      names = (pattern: string, ...all: string[]) =>
        namesBy(
          pattern,
          all.map((name) => ({ name })),
          says,
        ).names;
    expect(names('M_{name}', 'M_Skin', 'Hair', 'M_')).toEqual(['M_Skin', 'M_Hair', 'M_M_']);
    expect(names('{name}.low', 'Skin.low', 'Skin')).toEqual(['Skin.low', 'Skin.low_2']);
    expect(names('S{name}', 'Skin')).toEqual(['SSkin']);
    expect(names('{target}_{name}', 'Bridge_Skin')).toEqual(['Bridge_Bridge_Skin']);
  });
});
