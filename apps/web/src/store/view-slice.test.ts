import { describe, expect, it } from 'vitest';
import {
  axesShown,
  clipChosen,
  everythingShown,
  facePicked,
  figureLeft,
  jointTurned,
  jumped,
  lookChosen,
  morphDialled,
  morphsReset,
  partHidden,
  partIsolated,
  partPicked,
  partsHidden,
  playSwitched,
  posed,
  scrubbed,
  skeletonShown,
  viewChosen,
  viewReducer,
} from './view-slice.ts';

type Action = Parameters<typeof viewReducer>[1];
const after = (...actions: Action[]) => actions.reduce(viewReducer, viewReducer(undefined, { type: 'begin' }));

describe('what is looked at', () => {
  it('begins with both figures in their materials, at rest, dressed', () => {
    expect(after()).toMatchObject({
      view: 'pair',
      look: 'material',
      hidden: [],
      isolated: null,
      pose: null,
      clip: null,
      morphs: {},
      turned: {},
      face: null,
    });
  });
  it('hides parts one by one and brings all back', () => {
    expect(after(partHidden('Boots'), partHidden('Hat'), partHidden('Boots')).hidden).toEqual(['Hat']);
    expect(after(partHidden('Boots'), partIsolated('Hat'), everythingShown())).toMatchObject({
      hidden: [],
      isolated: null,
    });
    expect(after(partIsolated('Hat'), partIsolated('Hat')).isolated).toBe(null);
  });
  it('takes clothes off and on without touching what was hidden by hand', () => {
    const off = [partHidden('Hair'), partsHidden({ parts: ['Jacket', 'Boots'], hidden: true })];
    expect(after(...off).hidden).toEqual(['Hair', 'Jacket', 'Boots']);
    expect(after(...off, partsHidden({ parts: ['Jacket', 'Boots'], hidden: true })).hidden).toEqual([
      'Hair',
      'Jacket',
      'Boots',
    ]);
    expect(after(...off, partsHidden({ parts: ['Jacket', 'Boots'], hidden: false })).hidden).toEqual(['Hair']);
  });
  it('counts jumps, so that the same one can be asked for twice', () => {
    expect(after(jumped('head'), jumped('head')).jump).toEqual({ to: 'head', count: 2 });
  });
  it('keeps dialled morphs until they are zero or reset', () => {
    expect(
      after(
        morphDialled({ name: 'smile', weight: 0.5 }),
        morphDialled({ name: 'blink', weight: 1 }),
        morphDialled({ name: 'smile', weight: 0 }),
      ).morphs,
    ).toEqual({ blink: 1 });
    expect(after(morphDialled({ name: 'smile', weight: 0.5 }), morphsReset()).morphs).toEqual({});
  });
});

describe('pose, clip and turns by hand', () => {
  const turn = jointTurned({ joint: 'elbow', turn: [0, 0, 1, 0] });
  it("take each other's place", () => {
    expect(after(turn, posed('squat'))).toMatchObject({ pose: 'squat', clip: null, turned: {} });
    expect(after(posed('squat'), clipChosen('walk'))).toMatchObject({
      pose: null,
      clip: 'walk',
      playing: true,
      time: 0,
    });
    expect(after(clipChosen('walk'), turn)).toMatchObject({
      clip: null,
      playing: false,
      turned: { elbow: [0, 0, 1, 0] },
    });
    expect(after(clipChosen('walk'), clipChosen(null))).toMatchObject({ clip: null, playing: false });
  });
  it('a turn is taken back by itself, others stay', () => {
    expect(
      after(turn, jointTurned({ joint: 'knee', turn: [1, 0, 0, 0] }), jointTurned({ joint: 'elbow', turn: null }))
        .turned,
    ).toEqual({ knee: [1, 0, 0, 0] });
  });
  it('a clip stops and is scrubbed', () => {
    expect(after(clipChosen('walk'), scrubbed(1.25), playSwitched(false))).toMatchObject({
      time: 1.25,
      playing: false,
      clip: 'walk',
    });
  });
});

describe('another character', () => {
  it('leaves behind what belonged to the one before, and keeps how it is looked at', () => {
    const left = after(
      viewChosen('wipe'),
      lookChosen('slots'),
      skeletonShown(true),
      axesShown(true),
      partPicked('Boots'),
      partHidden('Hat'),
      morphDialled({ name: 'smile', weight: 1 }),
      clipChosen('walk'),
      facePicked({ part: 'Head', face: 7 }),
      figureLeft(),
    );
    expect(left).toMatchObject({
      view: 'wipe',
      look: 'slots',
      skeleton: true,
      axes: true,
      part: null,
      hidden: [],
      morphs: {},
      clip: null,
      playing: false,
      face: null,
    });
  });
});
