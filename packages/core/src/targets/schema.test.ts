import { describe, expect, it } from 'vitest';
import { ProblemError } from '../problem.ts';
import {
  figureOf,
  parseTarget,
  SHIPPED_FIGURES,
  SHIPPED_TARGETS,
  type Target,
  type TargetInput,
  withAppearance,
  withFigure,
} from './index.ts';

const [sound] = SHIPPED_TARGETS;
const problem = (change: Record<string, unknown>): ProblemError => {
  try {
    parseTarget({ ...sound, ...change });
  } catch (error) {
    return error as ProblemError;
  }
  throw new Error('was taken');
};

describe('delivery targets that ship', () => {
  it('are those of the scenario, with the limits it names', () => {
    const row = (id: string) => {
      const found = SHIPPED_TARGETS.find((target) => target.id === id);
      return (
        found && [
          found.triangles.max,
          found.influences.max,
          found.textures.maxSize,
          found.joints.keep,
          found.joints.max,
        ]
      );
    };
    expect(row('bridge-close-up')).toEqual([80_000, 8, 4096, 'all', undefined]);
    expect(row('headset-deck')).toEqual([20_000, 4, 1024, 'all', 75]);
    expect(row('quayside-crowd')?.slice(0, 4)).toEqual([6000, 4, 512, 'body']);
    expect(row('browser-viewer')).toEqual([40_000, 4, 2048, 'all', undefined]);
  });
  it.each(SHIPPED_TARGETS.map((target) => [target.id, target] as const))(
    '%s reads back as itself, and its figure is here',
    (_, target) => {
      expect(parseTarget(JSON.parse(JSON.stringify(target)))).toEqual(target);
      const whole = withFigure(target, SHIPPED_FIGURES);
      if (typeof target.joints.figure === 'string') expect(figureOf(whole)?.id).toBe(target.joints.figure);
      else expect(whole).toBe(target);
    },
  );
  it('have ids that differ', () => {
    expect(new Set(SHIPPED_TARGETS.map((target) => target.id)).size).toBe(SHIPPED_TARGETS.length);
  });
});

describe("a target that can't be used", () => {
  it.each<[string, Record<string, unknown>, string]>([
    ['no triangles', { triangles: { max: 0 } }, 'triangles.max'],
    [
      'levels that grow',
      { package: { format: 'glb', levels: [2, 3].map((n) => ({ triangles: n * 100, fromM: n })) } },
      'package.levels',
    ],
    [
      'levels that come nearer',
      { package: { format: 'glb', levels: [3, 2].map((n) => ({ triangles: n * 100, fromM: n })) } },
      'package.levels',
    ],
    [
      'a level finer than the nearest',
      { package: { format: 'glb', levels: [{ triangles: sound.triangles.max, fromM: 3 }] } },
      'package.levels',
    ],
    ['levels in one .dae', { package: { format: 'dae', levelsIn: 'one' } }, 'package'],
    ['a .vrm in parts', { package: { format: 'vrm', parts: 'each' } }, 'package'],
    ['half a triangle', { triangles: { max: 10.5 } }, 'triangles.max'],
    ['a word for a number', { influences: { max: 'four' } }, 'influences.max'],
    ['maps of an odd size', { textures: { ...sound.textures, maxSize: 1000 } }, 'textures.maxSize'],
    ['no map format', { textures: { ...sound.textures, formats: [] } }, 'textures.formats'],
    ['a format nobody reads', { textures: { ...sound.textures, formats: ['image/tiff'] } }, 'textures.formats.0'],
    ['an id that would leave its folder', { id: '../up' }, 'id'],
    ['an empty title', { title: '' }, 'title'],
    ['another version', { schema: 2 }, 'schema'],
    ['an unknown rest pose', { restPose: 'sitting' }, 'restPose'],
    ['a viewer inside the figure', { appearance: { nearestM: 0 } }, 'appearance.nearestM'],
    ['more cover lost than there is', { appearance: { cover: 120 } }, 'appearance.cover'],
    ['not a number', { parity: { ...sound.parity, restRmsMm: Number.NaN } }, 'parity.restRmsMm'],
  ])('%s is refused, and the field is named', (_, change, field) => {
    const found = problem(change);
    expect(found).toBeInstanceOf(ProblemError);
    expect(found.code).toBe('target.invalid');
    expect(found.where).toBe(field);
    expect(found.message).toContain(field);
  });
  it.each([null, 7, 'text', [], {}])('%j is no target at all', (value) => {
    expect(() => parseTarget(value, 'own.json')).toThrow(/can't be used/);
  });
  it('names a figure that is not here', () => {
    const lost = parseTarget({ ...sound, joints: { keep: 'all', figure: 'nowhere' } } as TargetInput);
    expect(() => withFigure(lost, SHIPPED_FIGURES)).toThrow(/names the figure “nowhere”, which is not here/);
  });
});

describe('a target', () => {
  it('is filled with what it leaves out', () => {
    const { note: _n, heightCm: _h, ...rest } = sound,
      bare = { ...rest, joints: { keep: 'body' } } as TargetInput;
    expect(parseTarget(bare)).toMatchObject({
      note: '',
      heightCm: { min: 120, max: 220 },
      joints: { keep: 'body', names: 'roles' },
    });
  });
  it('stored before targets spoke of appearance says of it what the shipped one says, or a new one would', () => {
    const shipped = SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') as Target,
      { appearance, ...before } = shipped;
    expect(withAppearance({ ...before, title: 'Edited' } as Target)).toEqual({ ...shipped, title: 'Edited' });
    const own = withAppearance({ ...before, id: 'our-own' } as Target);
    expect(own.appearance).toEqual(parseTarget({ ...before, id: 'our-own' }).appearance);
    expect(own.appearance).not.toEqual(appearance);
    const said = { ...shipped, appearance: { ...appearance, other: 1 } };
    expect(withAppearance(said)).toBe(said);
  });
  it("drops fields it doesn't know", () => {
    expect(parseTarget({ ...sound, colour: 'blue' })).toEqual(sound);
  });
});
