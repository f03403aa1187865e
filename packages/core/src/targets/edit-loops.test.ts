import { describe, expect, it } from 'vitest';
import {
  addFigureLoop,
  bendLoop,
  type Figure,
  handlesOfLoop,
  holdFigureLoop,
  loopFrom,
  loopsOfFigure,
  mergeFigureLoops,
  parseFigure,
  removeFigureLoop,
  renameFigureLoop,
} from './index.ts';

const loop = (name: string, x = 0) => ({ name, at: [x, 0, 0, x + 1, 0, 0, x + 1, 1, 0, x, 1, 0], holds: true });
const figure = (loops: unknown, more: object = {}) =>
  parseFigure({
    schema: 1,
    id: 'davit',
    title: 'Davit',
    heightM: 1.7,
    joints: [{ name: 'base', role: 'hips', parent: null, at: [0, 1, 0] }],
    body: {
      file: 'a'.repeat(64),
      bytes: 1,
      parts: [{ name: 'Skin', material: '', vertices: 3, triangles: 1, layout: '' }],
      ...(loops ? { loops } : {}),
    },
    ...more,
  });
const names = (of: Figure) => loopsOfFigure(of).map(({ name }) => name);

describe('loops of a figure', () => {
  const given = figure([loop('Lips'), loop('Ear left', 3)]);
  it('are called anew, let go of and left out, each by its name; what can’t be done changes nothing', () => {
    expect(names(renameFigureLoop(given, 'Lips', ' Mouth '))).toEqual(['Mouth', 'Ear left']);
    for (const next of ['', '  ', 'Ear left', 'Lips']) expect(renameFigureLoop(given, 'Lips', next)).toBe(given);
    expect(renameFigureLoop(given, 'Nobody', 'X')).toBe(given);
    expect(loopsOfFigure(holdFigureLoop(given, 'Ear left', false)).map(({ holds }) => holds)).toEqual([true, false]);
    expect(names(removeFigureLoop(given, 'Lips'))).toEqual(['Ear left']);
    // No loops at all is another thing than none said.
    expect(removeFigureLoop(removeFigureLoop(given, 'Lips'), 'Ear left').body?.loops).toEqual([]);
    expect(figure(null).body?.loops).toBeUndefined();
  });
  it('that are found anew take the place of those of their names', () => {
    const merged = mergeFigureLoops(given, [loop('Lips', 9), loop('Ear right')]);
    expect(names(merged)).toEqual(['Lips', 'Ear right', 'Ear left']);
    expect(loopsOfFigure(merged)[0].at[0]).toBe(9);
    expect(names(addFigureLoop(addFigureLoop(given, loop('')).figure, loop('')).figure).slice(2)).toEqual([
      'Loop 1',
      'Loop 2',
    ]);
  });
  it('are bent between two of their nodes, over their end too', () => {
    const square = loop('Lips');
    expect(handlesOfLoop(square)).toEqual([0, 1, 2, 3]);
    expect(handlesOfLoop({ at: new Array(300).fill(0) }, 4)).toEqual([0, 25, 50, 75]);
    // The corner at (1, 0) gives way to (2, −1).
    expect(bendLoop(square, 0, 2, { at: [2, -1, 0] }).at).toEqual([1, 1, 0, 0, 1, 0, 0, 0, 0, 2, -1, 0]);
    // The first of all, between the last and the second.
    expect(bendLoop(square, 3, 1, { at: [-1, -1, 0] }).at).toEqual([1, 0, 0, 1, 1, 0, 0, 1, 0, -1, -1, 0]);
    // Where the skin faces goes along; where nobody said it stands nothing.
    expect(bendLoop(square, 0, 2, { at: [2, -1, 0], facing: [0, 0, 1] }).facing).toEqual([
      ...new Array(9).fill(0),
      0,
      0,
      1,
    ]);
    expect(
      bendLoop({ ...square, facing: [1, 0, 0, 0, 1, 0, 0, 0, 1, 1, 0, 0] }, 0, 2, { at: [2, -1, 0] }).facing,
    ).toEqual([0, 0, 1, 1, 0, 0, 1, 0, 0, 0, 0, 0]);
  });
  it('can begin anywhere, so that the dot that was moved stays the one that is chosen', () => {
    const begun = loopFrom({ ...loop('Lips'), facing: [1, 0, 0, 0, 1, 0, 0, 0, 1, 0, 1, 1] }, [0.9, 1.2, 0]);
    expect(begun.at).toEqual([1, 1, 0, 0, 1, 0, 0, 0, 0, 1, 0, 0]);
    expect(begun.facing).toEqual([0, 0, 1, 0, 1, 1, 1, 0, 0, 0, 1, 0]);
    expect(loopFrom(loop('Lips'), [0, 0, 0])).toEqual(loop('Lips'));
  });
  it('are refused where they are none: too few places, half a place, two of one name', () => {
    const three = loop('Lips').at.slice(0, 9);
    for (const bad of [
      [{ name: 'Lips', at: three.slice(0, 6), holds: true }],
      [{ name: 'Lips', at: [...three, 1], holds: true }],
      [{ name: '', at: three, holds: true }],
      [{ name: 'Lips', at: [...three.slice(1), Number.NaN], holds: true }],
      [loop('Lips'), loop('Lips')],
    ])
      expect(() => figure(bad)).toThrow(/loops/);
  });
});
