import type { Region, RegionWeights } from '@dimetra/core';
import { createSlice, type PayloadAction } from '@reduxjs/toolkit';

export const VIEWS = ['pair', 'wipe', 'overlay', 'difference', 'source', 'result'] as const;
export type View = (typeof VIEWS)[number];
export const LOOKS = [
  'material',
  'clay',
  'wire',
  'normals',
  'checker',
  'weights',
  'deviation',
  'segments',
  'influences',
  'slots',
  'asymmetry',
  'texel density',
  'back faces',
  'strands',
  'base colour',
  'normal map',
  'roughness',
  'metalness',
  'occlusion',
  'opacity',
] as const;
export type Look = (typeof LOOKS)[number];
export const JUMPS = ['figure', 'head', 'eyes', 'mouth', 'hands', 'feet', 'behind'] as const;
export type Jump = (typeof JUMPS)[number];

interface ViewState {
  view: View;
  look: Look;
  skeleton: boolean;
  light: number;
  jump: { to: Jump; count: number };
  /** Part id. */
  part: string | null;
  /** Source joint name. */
  joint: string | null;
  hidden: string[];
  isolated: string | null;
  /** Morph name → weight, for looking. */
  morphs: Record<string, number>;
  pose: string | null;
  /** Clip that is shown, `RANGE` for the range of motion; the time in it, seconds. */
  clip: string | null;
  time: number;
  playing: boolean;
  /** Turns by hand: source joint → rotation in the body's frame, away from rest, xyzw. */
  turned: Record<string, [number, number, number, number]>;
  axes: boolean;
  /** A face of the source that was clicked while materials' regions are shown. */
  face: { part: string; face: number } | null;
  /** Region of the body that people are mixed in. */
  mixRegion: Region | 'all';
  /** Weights of a mix of people while a hand still moves them. */
  mixDraft: readonly RegionWeights[] | null;
  /** An expression that is being played: the dials of each figure, in place of those dialled by hand. */
  played: Readonly<Record<'source' | 'result', Readonly<Record<string, number>>>> | null;
}
export const RANGE = 'Every pose';
const initialState: ViewState = {
  view: 'pair',
  look: 'material',
  skeleton: false,
  light: 35,
  jump: { to: 'figure', count: 0 },
  part: null,
  joint: null,
  hidden: [],
  isolated: null,
  morphs: {},
  pose: null,
  clip: null,
  time: 0,
  playing: false,
  turned: {},
  axes: false,
  face: null,
  mixRegion: 'all',
  mixDraft: null,
  played: null,
};

const slice = createSlice({
  name: 'view',
  initialState,
  reducers: {
    viewChosen(state, { payload }: PayloadAction<View>) {
      state.view = payload;
    },
    lookChosen(state, { payload }: PayloadAction<Look>) {
      state.look = payload;
    },
    skeletonShown(state, { payload }: PayloadAction<boolean>) {
      state.skeleton = payload;
    },
    lightTurned(state, { payload }: PayloadAction<number>) {
      state.light = payload;
    },
    jumped(state, { payload }: PayloadAction<Jump>) {
      state.jump = { to: payload, count: state.jump.count + 1 };
    },
    partPicked(state, { payload }: PayloadAction<string | null>) {
      state.part = payload;
    },
    jointPicked(state, { payload }: PayloadAction<string | null>) {
      state.joint = payload;
    },
    partHidden(state, { payload }: PayloadAction<string>) {
      state.hidden = state.hidden.includes(payload)
        ? state.hidden.filter((id) => id !== payload)
        : [...state.hidden, payload];
    },
    partIsolated(state, { payload }: PayloadAction<string | null>) {
      state.isolated = state.isolated === payload ? null : payload;
    },
    /** Clothes off or on, all at once. */
    partsHidden(state, { payload }: PayloadAction<{ parts: readonly string[]; hidden: boolean }>) {
      state.hidden = [
        ...state.hidden.filter((id) => !payload.parts.includes(id)),
        ...(payload.hidden ? payload.parts : []),
      ];
    },
    everythingShown(state) {
      state.hidden = [];
      state.isolated = null;
    },
    morphDialled(state, { payload }: PayloadAction<{ name: string; weight: number }>) {
      if (payload.weight === 0) delete state.morphs[payload.name];
      else state.morphs[payload.name] = payload.weight;
    },
    /** All dials at once. */
    morphsDialled(state, { payload }: PayloadAction<Readonly<Record<string, number>>>) {
      state.morphs = Object.fromEntries(Object.entries(payload).filter(([, weight]) => weight !== 0));
    },
    /** Those named, or all. */
    morphsReset(state, { payload }: PayloadAction<readonly string[] | undefined>) {
      if (payload) for (const name of payload) delete state.morphs[name];
      else state.morphs = {};
    },
    posed(state, { payload }: PayloadAction<string | null>) {
      Object.assign(state, { pose: payload, clip: null, playing: false, turned: {} });
    },
    clipChosen(state, { payload }: PayloadAction<string | null>) {
      Object.assign(state, { clip: payload, time: 0, playing: payload !== null, pose: null, turned: {} });
    },
    scrubbed(state, { payload }: PayloadAction<number>) {
      state.time = payload;
    },
    playSwitched(state, { payload }: PayloadAction<boolean>) {
      state.playing = payload;
    },
    jointTurned(state, { payload }: PayloadAction<{ joint: string; turn: [number, number, number, number] | null }>) {
      if (payload.turn) state.turned[payload.joint] = payload.turn;
      else delete state.turned[payload.joint];
      state.clip = null;
      state.playing = false;
    },
    facePicked(state, { payload }: PayloadAction<ViewState['face']>) {
      state.face = payload;
    },
    mixRegionChosen(state, { payload }: PayloadAction<ViewState['mixRegion']>) {
      state.mixRegion = payload;
    },
    mixDrafted(state, { payload }: PayloadAction<readonly RegionWeights[] | null>) {
      state.mixDraft = payload as ViewState['mixDraft'] as never;
    },
    expressionPlayed(state, { payload }: PayloadAction<ViewState['played']>) {
      state.played = payload as never;
    },
    axesShown(state, { payload }: PayloadAction<boolean>) {
      state.axes = payload;
    },
    figureLeft(state) {
      Object.assign(state, {
        part: null,
        joint: null,
        hidden: [],
        isolated: null,
        morphs: {},
        pose: null,
        clip: null,
        playing: false,
        turned: {},
        face: null,
        mixRegion: 'all',
        mixDraft: null,
        played: null,
      });
    },
  },
});
export const {
  viewChosen,
  lookChosen,
  skeletonShown,
  lightTurned,
  jumped,
  partPicked,
  jointPicked,
  partHidden,
  partsHidden,
  partIsolated,
  everythingShown,
  morphDialled,
  morphsDialled,
  morphsReset,
  posed,
  clipChosen,
  scrubbed,
  playSwitched,
  jointTurned,
  axesShown,
  facePicked,
  mixRegionChosen,
  mixDrafted,
  expressionPlayed,
  figureLeft,
} = slice.actions;
export const viewReducer = slice.reducer;
