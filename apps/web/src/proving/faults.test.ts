import { SHIPPED_TARGETS, type HumanoidRole } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import { type Facts, faultsOf } from './faults.ts';
import type { StatedReport } from './open-package.ts';

const ROLES = [
  'hips',
  'spine',
  'head',
  ...['left', 'right'].flatMap((side) =>
    ['UpperArm', 'LowerArm', 'Hand', 'UpperLeg', 'LowerLeg', 'Foot'].map((name) => `${side}${name}`),
  ),
] as HumanoidRole[];
const right: Facts = {
  sizeM: [1.6, 1.8, 0.4],
  lowestM: 0.001,
  ahead: 1,
  joints: 75,
  roles: ROLES,
  clips: [{ name: 'Patrol', unbound: 0 }],
  morphs: ['smile', 'blink'],
  materials: [{ name: 'Skin', maps: [{ slot: 'baseColor', width: 512, height: 512 }] }],
  shows: { morphs: true, clips: 'named' },
  levels: [{ n: 1, fromM: 3, triangles: 8000 }],
  missingFiles: [],
  soles: [{ motion: 'Patrol', lowestM: 0.004 }],
  cost: { triangles: 19_000, materials: 12, drawCalls: 14, textureMB: 40 },
};
const stated: StatedReport = {
  levels: [{ n: 1 }],
  result: {
    clips: [{ name: 'Patrol' }],
    morphTargets: ['smile', 'blink'],
    materials: [{ name: 'Skin', maps: { baseColor: { width: 512, height: 512 } } }],
  },
};
const target = SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') ?? null;
const found = (facts: Partial<Facts>, report: StatedReport | null = stated) =>
  faultsOf({ ...right, ...facts }, report, target).map(({ code, station }) => `${code} → ${station}`);

describe('what goes wrong on the quay', () => {
  it('is nothing where nothing does', () => {
    expect(found({})).toEqual([]);
    expect(found({}, null)).toEqual([]);
  });
  it.each<[string, Partial<Facts>, string]>([
    ['nothing drawn', { sizeM: [0, 0, 0] }, 'nothing-drawn → deliver'],
    ['centimetres taken for metres', { sizeM: [160, 180, 40] }, 'unit → intake'],
    ['metres taken for centimetres', { sizeM: [0.016, 0.018, 0.004] }, 'unit → intake'],
    ['a child for a target of grown people', { sizeM: [0.8, 1, 0.3] }, 'height → intake'],
    ['another axis up', { sizeM: [1.6, 0.4, 1.8], lowestM: -0.2 }, 'lying → intake'],
    ['facing backwards', { ahead: -1 }, 'backwards → intake'],
    ['standing in the floor', { lowestM: -0.06 }, 'floor → intake'],
    ['files that are not there', { missingFiles: ['skin.png'] }, 'files → deliver'],
    ['a level of detail that is not there', { levels: [] }, 'levels → deliver'],
    [
      'a level with more triangles than the nearest',
      { levels: [{ n: 1, fromM: 3, triangles: 19_000 }] },
      'levels-heavy → reduce',
    ],
    ['a clip that is not there', { clips: [], soles: [] }, 'clips → motion'],
    ['a clip that moves nothing', { clips: [{ name: 'Patrol', unbound: 3 }] }, 'unbound → motion'],
    ['a morph that is not there', { morphs: ['smile'] }, 'morphs → morphs'],
    ['a joint that nobody knows', { roles: ROLES.filter((role) => role !== 'leftHand') }, 'joints → skeleton'],
    ['feet in the floor', { soles: [{ motion: 'Patrol', lowestM: -0.05 }] }, 'soles Patrol → motion'],
    ['walking over the floor', { soles: [{ motion: 'Patrol', lowestM: 0.05 }] }, 'soles Patrol → motion'],
    [
      'no clip at all where clips have other names',
      { shows: { morphs: true, clips: 'any' }, clips: [], soles: [] },
      'clips → motion',
    ],
    ['a slot without its map', { materials: [{ name: 'Skin', maps: [] }] }, 'white baseColor → textures'],
    [
      'a map that did not open',
      { materials: [{ name: 'Skin', maps: [{ slot: 'baseColor', width: 0, height: 0 }] }] },
      'white baseColor → textures',
    ],
    ['too many triangles', { cost: { ...right.cost, triangles: 90_000 } }, 'triangles → reduce'],
    ['too many materials', { cost: { ...right.cost, materials: 400 } }, 'materials → materials'],
  ])('is %s', (_, facts, code) => {
    expect(found(facts)).toEqual([code]);
  });
  it('is not what a loader can’t show', () => {
    expect(found({ morphs: [], clips: [], soles: [], shows: { morphs: false, clips: 'none' } })).toEqual([]);
    expect(found({ clips: [{ name: 'clip_0', unbound: 0 }], shows: { morphs: false, clips: 'any' } })).toEqual([]);
  });
  it('is not who swims over the ground', () => {
    expect(found({ soles: [{ motion: 'Swim', lowestM: 0.4 }] })).toEqual([]);
  });
  it('says of how much, in a sentence', () => {
    const [unit] = faultsOf({ ...right, sizeM: [160, 180, 40] }, stated, target);
    expect(unit.message).toBe('It stands 180.0 m tall beside a person of 1.75 m. Say at Intake what one unit is.');
  });
});
