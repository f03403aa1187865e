import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { CantTry, isJointsAlone, openPackage } from './open-package.ts';

const text = (value: string) => new TextEncoder().encode(value) as Uint8Array<ArrayBuffer>,
  zip = (files: Record<string, Uint8Array>) => ({
    path: 'package.zip',
    bytes: zipSync(files) as Uint8Array<ArrayBuffer>,
  });

describe('a package', () => {
  it('is its largest model with what lies beside it, and the report where there is one', () => {
    const opened = openPackage([
      zip({
        'a/pilot.glb': text('a model that is long'),
        'a/low.glb': text('short'),
        'a/report.json': text('{"result":{"clips":[{"name":"Walk"}]}}'),
      }),
    ]);
    expect(opened.model).toBe('a/pilot.glb');
    expect([...opened.files.keys()]).toHaveLength(3);
    expect(opened.report?.result?.clips).toEqual([{ name: 'Walk' }]);
    expect(opened.bytes).toBe(20 + 5 + 38);
  });
  it('of several models is what its manifest says, where all of them are there', () => {
    const manifest = (models: unknown) => ({ 'p/manifest.json': text(JSON.stringify({ models })) }),
      files = {
        'p/a_lod1.glb': text('a level that is the longest of all'),
        'p/a.glb': text('near'),
        'p/a_hat.glb': text('hat'),
      },
      all = [
        { path: 'a_lod1.glb', level: 1, fromM: 4 },
        { path: 'a.glb', level: 0 },
        { path: 'a_hat.glb', level: 0, part: 'Hat' },
      ];
    const opened = openPackage([zip({ ...files, ...manifest(all) })]);
    expect(opened.model).toBe('p/a.glb');
    expect(opened.models.map(({ path, level, fromM }) => [path, level, fromM])).toEqual([
      ['p/a.glb', 0, undefined],
      ['p/a_hat.glb', 0, undefined],
      ['p/a_lod1.glb', 1, 4],
    ]);
    // One that says what isn't so is passed over.
    for (const wrong of [[{ path: 'b.glb', level: 0 }], [{ path: 'a.glb', level: 2 }], 'none', [null, 7]])
      expect(openPackage([zip({ ...files, ...manifest(wrong) })]).models).toEqual([{ path: 'p/a_lod1.glb', level: 0 }]);
  });
  it('is held to what its target lets go out of the figure', () => {
    const result = {
        joints: [{ name: 'hips' }],
        clips: [{ name: 'Walk' }],
        morphTargets: ['blink'],
        materials: [{ name: 'Skin', maps: { baseColor: { width: 1, height: 1 } } }],
      },
      opened = (only?: string) =>
        openPackage([
          { path: 'pilot.glb', bytes: text('…') },
          { path: 'report.json', bytes: text(JSON.stringify({ target: { package: { only } }, result })) },
        ]).report;
    expect(opened()?.result).toEqual(result);
    expect(opened('mesh')?.result).toEqual({ joints: [], clips: [], morphTargets: [], materials: [{ name: 'Skin' }] });
    expect(opened('motion')?.result).toEqual({ ...result, morphTargets: [], materials: [] });
    expect(opened('skeleton')?.result).toEqual({ ...result, clips: [], morphTargets: [], materials: [] });
    expect([undefined, 'mesh', 'skeleton', 'motion'].map((only) => isJointsAlone(opened(only)))).toEqual([
      false,
      false,
      true,
      true,
    ]);
  });
  it('may come as single files, without a report or with one that is none', () => {
    expect(openPackage([{ path: 'pilot.obj', bytes: text('v 0 0 0') }])).toMatchObject({
      model: 'pilot.obj',
      report: null,
    });
    expect(
      openPackage([
        { path: 'pilot.vrm', bytes: text('…') },
        { path: 'report.json', bytes: text('{') },
      ]).report,
    ).toBeNull();
  });
  it.each([
    ['nothing', [], /package is empty/],
    ['no model', [{ path: 'notes.txt', bytes: text('hello') }], /notes\.txt can't be put on the quay/],
    ['a broken archive', [{ path: 'package.zip', bytes: text('PK but no more') }], /damaged or no ZIP archive/],
  ])('that is %s is refused with a sentence', (_, given, words) => {
    expect(() => openPackage(given)).toThrow(CantTry);
    expect(() => openPackage(given)).toThrow(words);
  });
});
