import { describe, expect, it } from 'vitest';
import { parseTarget, SHIPPED_TARGETS, type Target, type TargetInput } from '../targets/index.ts';
import { figureWithAll } from '../testing/figure-with-all.ts';
import type { CharacterSummary } from './character-summary.ts';
import { summarise } from './inspect.ts';
import { effectsOf } from './target-effects.ts';

const character = summarise(figureWithAll(), 'Stoker', { seen: false });
const target = (more: Partial<TargetInput> = {}): Target => parseTarget({ ...SHIPPED_TARGETS[0], ...more });
const says = (field: string, more: Partial<TargetInput> = {}, of: Partial<CharacterSummary> = {}) => {
  const effect = effectsOf(target(more), { ...character, ...of })[field];
  return effect && `${effect.tone}: ${effect.says}`;
};

describe('what a target will do to a character', () => {
  it('says of limits what is over and what stays', () => {
    expect(says('triangles.max', { triangles: { max: 100 } }, { triangles: 1500 })).toBe(
      'changes: 1,500 triangles come down to 100',
    );
    expect(says('triangles.max', { triangles: { max: 2000 } }, { triangles: 1500 })).toBe(
      'stays: 1,500 triangles: all stay',
    );
    expect(says('influences.max', { influences: { max: 4 } }, { influencesMax: 1 })).toBe(
      'stays: 1 influence: it stays',
    );
    expect(says('triangles.parts.footwear', { triangles: { max: 100, parts: { footwear: 50 } } })).toBe(
      'stays: it has no such part',
    );
    const { materials } = SHIPPED_TARGETS[0];
    expect(
      says(
        'materials.max',
        { materials: { ...materials, max: 1 } },
        { materials: [...character.materials, ...character.materials] },
      ),
    ).toMatch(/^breaks: 2 materials/);
    const { morphs } = SHIPPED_TARGETS[0];
    expect(says('morphs.max', { morphs: { ...morphs, max: 2 } }, { morphTargets: ['a', 'b', 'c'] })).toBe(
      'changes: 3 morphs: the 1 that move least go',
    );
  });

  it('says how tall it gets, and where that is not allowed', () => {
    expect(says('body.heightCm', { body: { heightCm: 160 } }, { heightCm: 175.04 })).toBe(
      'changes: 175.0 cm tall: it comes down to 160 cm',
    );
    expect(says('body.heightCm', { body: { heightCm: 175 } }, { heightCm: 175.04 })).toMatch(/^stays/);
    expect(says('heightCm.max', { heightCm: { min: 100, max: 150 } }, { heightCm: 175 })).toBe(
      'breaks: 175.0 cm: too tall',
    );
    expect(says('heightCm.min', { heightCm: { min: 180, max: 200 } }, { heightCm: 175 })).toBe(
      'breaks: 175.0 cm: too short',
    );
    expect(
      says('heightCm.max', { heightCm: { min: 100, max: 150 }, body: { heightCm: 140 } }, { heightCm: 175 }),
    ).toMatch(/^stays/);
  });

  it('counts the joints that stay as the step that carries it out does', () => {
    const joint = (name: string, role: string, parent: string | null = 'hips') => ({
        name,
        role: role as never,
        parent,
        confidence: 1,
        reason: '',
      }),
      joints = [
        joint('hips', 'hips', null),
        joint('i', 'leftIndexProximal'),
        joint('jaw', 'jaw'),
        joint('twist', 'helper'),
      ];
    expect(says('joints.keep', { joints: { keep: 'all' } }, { joints })).toBe('stays: 4 joints: all stay');
    expect(says('joints.keep', { joints: { keep: 'humanoid' } }, { joints })).toMatch(/^changes: 3 of 4 joints stay/);
    expect(says('joints.keep', { joints: { keep: 'body' } }, { joints })).toMatch(/^changes: 1 of 4 joints stay/);
    expect(says('joints.keep', { joints: { keep: 'none' } }, { joints })).toMatch(/^changes: its 4 joints go/);
    expect(says('joints.keep', { joints: { keep: 'all' } }, { joints: [] })).toMatch(/^breaks: it has no skeleton/);
    expect(says('joints.root', { joints: { keep: 'all', root: 'hips' } }, { joints })).toMatch(/^stays/);
    expect(says('joints.root', { joints: { keep: 'all', root: 'root' } }, { joints })).toBe(
      'changes: “root” stands over “hips”',
    );
    expect(says('joints.leafEnds', { joints: { keep: 'all', leafEnds: true } }, { joints })).toBe(
      'changes: up to 3 tips get a joint',
    );
  });

  it('says which maps come down, become another format or are packed anew', () => {
    const map = (name: string, side: number, mimeType = 'image/png') => ({
        name,
        width: side,
        height: side,
        mimeType,
        bytes: 1,
      }),
      textures = [map('a', 2048), map('b', 512, 'image/webp')],
      of = { textures, textureMemoryBytes: 24 * 1048576 },
      base = SHIPPED_TARGETS[0].textures;
    const maps = (more: Partial<Target['textures']>) => ({ textures: { ...base, packed: undefined, ...more } });
    expect(says('textures.maxSize', maps({ maxSize: 1024 }), of)).toBe('changes: 1 of 2 maps is larger and comes down');
    expect(says('textures.maxSize', maps({ maxSize: 4096 }), of)).toBe('stays: none of 2 maps is larger');
    expect(says('textures.maxMemoryMB', maps({ maxSize: 1024, maxMemoryMB: 2 }), of)).toBe(
      'changes: 24 MB, 7 MB at that size: those missed least come down further',
    );
    expect(says('textures.formats', maps({ formats: ['image/jpeg', 'image/png'] }), of)).toBe(
      'changes: 1 map (webp) becomes jpeg',
    );
    const worn = (occlusion: string) => ({
      ...of,
      materials: [
        {
          ...character.materials[0],
          maps: {
            occlusion: { file: occlusion, width: 1, height: 1 },
            metallicRoughness: { file: 'a', width: 1, height: 1 },
          },
        },
      ],
    });
    expect(says('textures.packing', maps({ packing: 'one' }), worn('b'))).toBe(
      'changes: maps of 1 material are packed anew',
    );
    expect(says('textures.packing', maps({ packing: 'one' }), worn('a'))).toMatch(/^stays: 1 of 1/);
    expect(says('textures.packing', maps({ packing: 'apart' }), worn('a'))).toMatch(/^changes/);
  });

  it('says what a format has no place for', () => {
    const format = (one: Target['package']['format']) => ({ package: { ...SHIPPED_TARGETS[0].package, format: one } });
    expect(says('package.format', format('obj'))).toMatch(
      /^breaks: it stands still: joints, morphs, clips have no place/,
    );
    expect(says('package.format', format('glb'))).toMatch(/^stays: joints, morphs, clips have a place/);
  });
});
