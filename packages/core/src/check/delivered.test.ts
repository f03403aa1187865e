import { describe, expect, it } from 'vitest';
import { look, type Seen } from '@dimetra/eyes';
import { finishDocument } from '../deliver/index.ts';
import { readCharacter, writeGlb } from '../formats/index.ts';
import { contentsOf } from '../inspect/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { judgeDelivered, statedOf } from './index.ts';

const document = stickFigure();
await finishDocument(document, testContext());
const bytes = await writeGlb(document),
  seen = await look({ path: 'a.glb', bytes }, []),
  stated = statedOf(document);
const contents = contentsOf(document),
  read = contentsOf((await readCharacter([{ path: 'a.glb', bytes }])).document);
const broken = (change: Partial<Seen> = {}, more: { stated?: typeof stated; read?: typeof read } = {}) =>
  judgeDelivered({
    seen: { ...seen, ...change },
    stated: more.stated ?? stated,
    contents: { stated: contents, read: more.read ?? read },
  }).filter((rule) => !rule.ok);
const note = { count: 2, message: 'x', pointer: '/nodes/1' };

describe('judgeDelivered', () => {
  it('holds a .vrm to its joints and morphs as the open loader understands them', () => {
    const [morph] = stated.morphs,
      row = { name: 'blink', preset: true, farthestMm: morph.farthestMm },
      vrm = {
        bones: ['hips', 'head'],
        expressions: [row],
        looksBy: 'bone' as const,
        eyesAt: null,
        springs: 0,
        authors: ['x'],
      },
      told = (change: Partial<typeof vrm> | null, roles: readonly string[] = ['hips', 'head', 'twist']) =>
        judgeDelivered({
          seen: { ...seen, morphs: [{ ...seen.morphs[0], name: 'blink' }], vrm: change && { ...vrm, ...change } },
          stated: { ...stated, morphs: [{ ...morph, name: 'blink' }] },
          contents: { stated: contents, read },
          roles,
        })
          .filter((rule) => !rule.ok)
          .map(({ rule, message }) => `${rule} ${message}`);
    expect(told({})).toEqual([]);
    expect(told({}, ['hips', 'neck'])).toEqual([expect.stringMatching(/^delivered\.vrm .*no bone “neck”/)]);
    expect(told({ expressions: [] })).toEqual([expect.stringMatching(/no expression “blink”/)]);
    expect(told({ expressions: [{ ...row, farthestMm: row.farthestMm + 0.2 }] })).toEqual([
      expect.stringMatching(/“blink” moves by up to/),
    ]);
    expect(told({ authors: [] })).toEqual([expect.stringMatching(/no author/)]);
    expect(told(null)).toEqual([expect.stringMatching(/finds no VRM/)]);
  });
  it('finds nothing wrong with what is delivered as stated: another loader measures what we measure', () => {
    expect(broken().map((rule) => rule.message)).toEqual([]);
    expect(seen.sizeMm?.map((mm, k) => Math.abs(mm - (stated.sizeMm as number[])[k]) < 0.01)).toEqual([
      true,
      true,
      true,
    ]);
    expect(seen.morphs.map((row) => row.vertices)).toEqual(stated.morphs.map((row) => row.vertices));
  });
  it.each<[string, Partial<Seen>, RegExp]>([
    ['delivered.opens', { refused: 'no magic' }, /Another loader refuses what is delivered: no magic/],
    [
      'delivered.valid',
      { validator: { ...seen.validator, errors: [{ code: 'NODE_SKIN_NO_SCENE', ...note }] } },
      /NODE_SKIN_NO_SCENE 2 times, first at \/nodes\/1/,
    ],
    [
      'delivered.warnings',
      {
        validator: {
          ...seen.validator,
          warnings: [
            { code: 'MESH_PRIMITIVE_GENERATED_TANGENT_SPACE', ...note },
            { code: 'NODE_SKINNED_MESH_LOCAL_TRANSFORMS', ...note },
          ],
        },
      },
      /NODE_SKINNED_MESH_LOCAL_TRANSFORMS/,
    ],
    [
      'delivered.unused',
      {
        validator: {
          ...seen.validator,
          unused: [
            { code: 'UNUSED_OBJECT TEXCOORD', ...note },
            { code: 'UNUSED_OBJECT accessors', ...note },
          ],
        },
      },
      /UNUSED_OBJECT accessors/,
    ],
    ['delivered.finite', { notFinite: [{ where: '/accessors/3', count: 7 }] }, /7 at \/accessors\/3/],
    [
      'delivered.images',
      { images: [{ name: 'coat', width: 0, height: 0, problem: 'cut off' }] },
      /“coat” can't be opened \(cut off\)/,
    ],
    [
      'delivered.joints',
      { joints: { joints: 55, outside: ['hips', 'spine'] } },
      /2 of 55 joints don't hang in the scene/,
    ],
    ['delivered.shown', { hidden: ['Body'] }, /Body/],
    [
      'delivered.clips',
      { clips: { channels: 48, unbound: ['nod: hips.quaternion'] } },
      /1 of 48 clip channels find nothing to move/,
    ],
    [
      'delivered.size',
      { sizeMm: [360, ...(seen.sizeMm as number[]).slice(1)] as [number, number, number] },
      /draws the figure 360\.0 × /,
    ],
    [
      'delivered.morphs',
      { morphs: seen.morphs.map((row) => ({ ...row, farthestMm: row.farthestMm + 0.2 })) },
      /“lift” moves/,
    ],
    ['delivered.morphs', { morphs: [] }, /“lift” isn't there/],
  ])('says %s of exactly what is wrong, and blocks', (rule, change, sentence) => {
    const found = broken(change);
    expect(found.map((entry) => [entry.rule, entry.blocking])).toEqual([[rule, true]]);
    expect(found[0].message).toMatch(sentence);
  });
  it('leaves room for vertices that move by so nearly the least that rounding decides, and for no others', () => {
    const counted = (vertices: number, undecided?: number) =>
      broken(
        { morphs: seen.morphs.map((row) => ({ ...row, vertices: row.vertices + vertices })) },
        { stated: { ...stated, morphs: stated.morphs.map((row) => ({ ...row, undecided })) } },
      ).map((rule) => rule.rule);
    expect([counted(2), counted(5, 5)]).toEqual([[], []]);
    expect([counted(5), counted(6, 5)]).toEqual([['delivered.morphs'], ['delivered.morphs']]);
  });
  it('misses a millimetre of size, and not a tenth', () => {
    const shifted = (mm: number) =>
      broken(
        {},
        {
          stated: {
            ...stated,
            sizeMm: (stated.sizeMm as number[]).map((size) => size + mm) as [number, number, number],
          },
        },
      ).map((rule) => rule.rule);
    expect([shifted(0.1), shifted(1.1)]).toEqual([[], ['delivered.size']]);
  });
  it('sees what our own reader finds otherwise: a part less, a joint elsewhere, a morph by another name', () => {
    for (const other of [
      { ...read, parts: [] },
      { ...read, joints: read.joints.map((joint, i) => (i === 3 ? { ...joint, parent: 'hips' } : joint)) },
      { ...read, morphTargets: ['raise'] },
    ])
      expect(broken({}, { read: other }).map((rule) => rule.rule)).toEqual(['delivered.contents']);
  });
});
