import { zipSync } from 'fflate';
import { describe, expect, it } from 'vitest';
import { CantTry, openPackage } from './open-package.ts';

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
