import { STATIONS, type Station } from '@dimetra/core';
import { describe, expect, it } from 'vitest';
import type { CharacterDetail, RunDetail } from '@dimetra/contract';
import { STATION_NAMES, stationViews } from './stations.ts';

const summary = {
  heightCm: 179.26,
  joints: Array(111).fill({}),
  influencesMax: 8,
  morphTargets: ['blink', 'smile'],
  materials: Array(19).fill({}),
  textureMemoryBytes: 101 * 1048576,
  triangles: 111_080,
  clips: [{ name: 'Walk' }],
};
const character = (change: Partial<typeof summary> = {}, severities: string[] = []) =>
  ({
    revision: { summary: { ...summary, ...change }, findings: severities.map((severity) => ({ severity })) },
  }) as unknown as CharacterDetail;
type Step = {
  id: string;
  station: Station;
  measures: { code: string; source: number; result: number }[];
  findings: { severity: string }[];
};
const step = (
  station: Station,
  id = station as string,
  findings: string[] = [],
  measures: Step['measures'] = [],
): Step => ({ id, station, measures, findings: findings.map((severity) => ({ severity })) });
const run = (state: string, change: Record<string, unknown> = {}) =>
  ({
    state,
    steps: [],
    checks: null,
    result: null,
    message: '',
    station: null,
    deliveryBytes: null,
    ...change,
  }) as unknown as RunDetail;
const check = (station: Station, ok: boolean, blocking = true) => ({ station, ok, blocking });
const states = (...args: Parameters<typeof stationViews>) =>
  Object.fromEntries(stationViews(...args).map((view) => [view.id, view.state]));
const pairs = (...args: Parameters<typeof stationViews>) =>
  Object.fromEntries(stationViews(...args).map((view) => [view.id, view.pair]));

describe('the line', () => {
  it('has every station of the core, in its order, with a name', () => {
    expect(stationViews(character(), undefined).map((view) => view.id)).toEqual([...STATIONS]);
    expect(Object.values(STATION_NAMES).every(Boolean)).toBe(true);
  });
  it("shows the source's numbers before a run, and that all but intake wait", () => {
    expect(pairs(character(), undefined)).toMatchObject({
      intake: '179.3 cm',
      skeleton: '111',
      weights: '8',
      textures: '101 MB',
      reduce: '111k',
      motion: '1 clip',
      check: '–',
      deliver: '–',
      'rest-pose': '–',
    });
    const found = states(character(), undefined);
    expect(found.intake).toBe('done');
    expect(found.skeleton).toBe('waiting');
    expect(found.fit).toBe('quiet');
  });
  it('leaves quiet what a character has nothing for', () => {
    expect(states(character({ morphTargets: [] }), undefined).morphs).toBe('quiet');
    expect(pairs(character({ clips: [] }), undefined).motion).toBe('–');
    expect(pairs(character({ clips: [{ name: 'a' }, { name: 'b' }] }), undefined).motion).toBe('2 clips');
  });
  it("tells intake's findings, but not its notes", () => {
    expect(states(character({}, ['info']), undefined).intake).toBe('done');
    expect(states(character({}, ['info', 'warning']), undefined).intake).toBe('findings');
  });
  it('shows where a run is: done behind it, running at it, waiting before it', () => {
    const found = states(
      character(),
      run('running', { steps: [step('intake'), step('skeleton')], station: 'weights' }),
    );
    expect([found.intake, found.skeleton, found['rest-pose'], found.weights, found.check]).toEqual([
      'done',
      'done',
      'quiet',
      'running',
      'waiting',
    ]);
    const on = states(
      character(),
      run('running', {
        steps: [
          step('intake'),
          step('skeleton'),
          step('rest-pose', 'rest.convert', [], [{ code: 'arms-below-straight-out', source: 45, result: 0 }]),
        ],
        station: 'weights',
      }),
    );
    expect([on['rest-pose'], on.weights, on.materials]).toEqual(['done', 'running', 'waiting']);
  });
  it('is at the check while measuring and at delivery while writing', () => {
    const steps = [
      step('intake'),
      step('skeleton'),
      step('weights'),
      step('materials'),
      step('textures'),
      step('reduce'),
    ];
    expect(states(character(), run('running', { steps, station: 'check' })).check).toBe('running');
    expect(states(character(), run('running', { steps, station: 'deliver' })).deliver).toBe('running');
    // What has no step of its own has been passed by then.
    const measured = states(character(), run('running', { steps, station: 'check' }));
    expect([measured.morphs, measured.motion, measured.reduce, measured.deliver]).toEqual([
      'done',
      'done',
      'done',
      'waiting',
    ]);
    expect(states(character(), run('running', { steps: steps.slice(0, 3), station: 'weights' })).morphs).toBe(
      'waiting',
    );
    expect(states(character(), run('cancelling', { steps: [step('intake')], station: 'skeleton' })).skeleton).toBe(
      'running',
    );
  });
  it('pairs source and result once a run is done', () => {
    const result = {
      ...summary,
      joints: Array(75).fill({}),
      influencesMax: 4,
      textureMemoryBytes: 85 * 1048576,
      triangles: 19_990,
    };
    const found = pairs(
      character(),
      run('done', {
        result,
        checks: [check('reduce', true), check('reduce', true)],
        deliveryBytes: 8 * 1048576,
        steps: [step('reduce', 'reduce.simplify', [], [{ code: 'triangles', source: 111_080, result: 19_990 }])],
      }),
    );
    expect(found).toMatchObject({
      skeleton: '111 → 75',
      weights: '8 → 4',
      textures: '101 → 85 MB',
      reduce: '111k → 20k',
      check: '2 of 2',
      deliver: '8.0 MB',
    });
  });
  it('blocks at the station that can mend a broken rule, and at the end', () => {
    const found = states(
      character(),
      run('done', {
        result: summary,
        checks: [check('skeleton', false), check('textures', true)],
        steps: [step('skeleton'), step('textures')],
      }),
    );
    expect([found.skeleton, found.textures, found.check, found.deliver]).toEqual([
      'blocks',
      'done',
      'blocks',
      'blocks',
    ]);
  });
  it("notes a rule that doesn't block, at its station, in Check and in Deliver alike", () => {
    const found = states(
      character(),
      run('done', {
        result: summary,
        checks: [check('reduce', false, false)],
        steps: [step('reduce', 'reduce.simplify', ['warning'])],
      }),
    );
    expect([found.reduce, found.check, found.deliver]).toEqual(['findings', 'findings', 'findings']);
  });
  it("says each state in words, for who can't see the dots", () => {
    for (const view of stationViews(character(), run('failed'))) expect(view.says).toMatch(/\w+/);
  });
});
