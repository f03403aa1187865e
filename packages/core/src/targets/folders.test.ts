import { describe, expect, it } from 'vitest';
import { folderBy, folderProblem, pathFrom, wayTo } from './folders.ts';

const names = { character: 'Hafen Lotse', target: 'Bridge close-up', kind: 'skin' };

describe('folders of a package', () => {
  it('follow their patterns, each a name that every disk takes', () => {
    expect(folderBy('Characters/{character}/Meshes', names)).toBe('Characters/Hafen_Lotse/Meshes/');
    expect(folderBy('T/{kind}', names)).toBe('T/skin/');
    expect(folderBy(undefined, names)).toBe('');
    for (const hostile of ['../../etc', '..', '.', 'a/b', 'C:\\x', 'con', 'NUL', 'x'.repeat(500), '', '…'])
      for (const segment of folderBy('{character}/m', { ...names, character: hostile })
        .split('/')
        .slice(0, -1)) {
        expect(segment).toMatch(/^[\p{L}\p{N}\p{M}_.-]{1,81}$/u);
        expect(segment).not.toMatch(/^\.|\.$|^(con|nul)$/i);
      }
  });
  it('are refused with a reason where they climb, are empty, too deep or name what isn’t', () => {
    expect(folderProblem('model', 'a/../b')).toMatch(/each with a name/);
    expect(folderProblem('model', '/a')).toMatch(/each with a name/);
    expect(folderProblem('maps', 'a//b')).toMatch(/each with a name/);
    expect(folderProblem('model', 'a:b')).toMatch(/Without/);
    expect(folderProblem('model', '{kind}')).toMatch(/no other places/);
    expect(folderProblem('maps', '{kind}/{n}')).toMatch(/no other places/);
    expect(folderProblem('maps', 'a/b/c/d/e/f/g')).toMatch(/6 folders/);
    expect(folderProblem('maps', 'T/{kind}')).toBeNull();
    expect(folderProblem('maps', undefined)).toBeNull();
  });
  it('find each other: the way from one to the other leads there', () => {
    const folders = ['', 'a/', 'a/b/', 'a/c/d/', 'e/'];
    for (const from of folders)
      for (const to of folders) expect(pathFrom(from, `${wayTo(from, to)}x.png`)).toBe(`${to}x.png`);
    expect(wayTo('a/b/', 'a/c/')).toBe('../c/');
    expect(wayTo('', 'a/')).toBe('a/');
    expect(wayTo('a/', 'a/')).toBe('');
  });
});
