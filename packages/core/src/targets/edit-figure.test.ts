import { describe, expect, it } from 'vitest';
import {
  correctFigureRoles,
  parseFigure,
  removeFigureJoint,
  renameFigureJoint,
  shippedFigure,
  type Figure,
} from './index.ts';

const figure = parseFigure({
  schema: 1,
  id: 'davit',
  title: 'Davit',
  heightM: 1.7,
  joints: [
    { name: 'base', role: 'hips', parent: null, at: [0, 1, 0] },
    { name: 'mast', role: 'spine', parent: 'base', at: [0, 1.2, 0] },
    { name: 'boom', role: 'chest', parent: 'mast', at: [0, 1.4, 0] },
    { name: 'hook', role: 'unknown', parent: 'boom', at: [0, 1.5, 0] },
  ],
});
const rows = (value: Figure) => value.joints.map(({ name, parent, role }) => [name, parent, role]);

describe('a figure that is edited', () => {
  it('keeps its hierarchy when a joint is renamed, and refuses names that are empty or taken', () => {
    expect(rows(renameFigureJoint(figure, 'mast', ' pole '))).toEqual([
      ['base', null, 'hips'],
      ['pole', 'base', 'spine'],
      ['boom', 'pole', 'chest'],
      ['hook', 'boom', 'unknown'],
    ]);
    for (const name of ['', '  ', 'boom', 'mast']) expect(renameFigureJoint(figure, 'mast', name)).toBe(figure);
  });
  it('hangs what a removed joint held on the one above, and keeps its last joint', () => {
    expect(rows(removeFigureJoint(figure, 'mast'))).toEqual([
      ['base', null, 'hips'],
      ['boom', 'base', 'chest'],
      ['hook', 'boom', 'unknown'],
    ]);
    expect(rows(removeFigureJoint(figure, 'base'))[0]).toEqual(['mast', null, 'spine']);
    expect(removeFigureJoint(figure, 'nobody')).toBe(figure);
    let less = figure;
    for (const name of ['hook', 'boom', 'mast', 'base']) less = removeFigureJoint(less, name);
    expect(rows(less)).toEqual([['base', null, 'hips']]);
  });
  it('takes roles said by hand, and no two joints have the same one', () => {
    expect(
      rows(correctFigureRoles(figure, { hook: 'chest', stranger: 'head' })).map(([name, , role]) => [name, role]),
    ).toEqual([
      ['base', 'hips'],
      ['mast', 'spine'],
      ['boom', 'unknown'],
      ['hook', 'chest'],
    ]);
    expect(rows(correctFigureRoles(figure, { mast: 'chest', boom: 'spine' })).map(([, , role]) => role)).toEqual([
      'hips',
      'chest',
      'spine',
      'unknown',
    ]);
  });
  it('is a figure still, whatever was done to it', () => {
    let edited = shippedFigure('tessel') as Figure;
    for (const { name } of edited.joints.filter((_, i) => i % 3 === 1)) edited = removeFigureJoint(edited, name);
    for (const { name } of edited.joints.filter((_, i) => i % 2))
      edited = renameFigureJoint(edited, name, `${name}_again`);
    expect(parseFigure(edited).joints.length).toBe(edited.joints.length);
  });
});
