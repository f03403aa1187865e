import type { HumanoidRole, Quat } from '@dimetra/core';
import type { Deviation } from '../figure/deviation.ts';
import type { PinMark, PinSide } from '../figure/pins.ts';
import type { SeatsShown } from '../figure/seats.ts';
import type { WrapSurface } from '../figure/watch-wrap.ts';
import type { Look, View } from '../store/view-slice.ts';

export type Side = PinSide;
/** A joint that was found in the source's shape, metres. */
export interface Mark {
  role: HumanoidRole;
  at: readonly [number, number, number];
  /** By proportion alone. */
  assumed: boolean;
  chosen: boolean;
}
export interface StageState {
  view: View;
  look: Look;
  skeleton: boolean;
  light: number;
  hidden: readonly string[];
  isolated: string | null;
  part: string | null;
  /** Name of the joint whose weights are shown, per side. */
  joint: Record<Side, string | null>;
  morphs: Readonly<Record<string, number>>;
  /** Dials of each side while an expression is played, in place of `morphs`. */
  played: Record<Side, Readonly<Record<string, number>>> | null;
  pose: string | null;
  clip: string | null;
  time: number;
  /** Turns by hand, by joint name of that side. */
  turned: Record<Side, ReadonlyMap<string, Quat>>;
  axes: boolean;
  deviation: Deviation | null;
  /** Texels of the colour maps on a centimetre: part id → by vertex. */
  density: Record<Side, ReadonlyMap<string, Float32Array>> | null;
  /** How far each vertex is from its mirror image, millimetres: part id → by vertex; a side that isn't measured yet has none. */
  asymmetry: Record<Side, ReadonlyMap<string, Float32Array>> | null;
  /** How far the source's vertices go in a mix of people, in their mesh: part id → xyz by vertex. */
  mixed: ReadonlyMap<string, Float32Array> | null;
  /** Joints found in the source's shape, shown over it; null where that isn't the question. */
  marks: readonly Mark[] | null;
  /** Pins of the wrap, of each side; null where that isn't the question. */
  pins: Record<Side, readonly PinMark[]> | null;
  /** A figure's polygons on their way to the source's shape. */
  wrap: WrapSurface | null;
  /** Where the result's eyes and bite would stand, with the dots that move them. */
  seats: SeatsShown | null;
  /** What the target allows at rest, millimetres: the step in the heat map. */
  limitMm: number;
  /** Faces of the source that would go to another material, and the region that was clicked: part id → faces. */
  regions: { misplaced: ReadonlyMap<string, readonly number[]>; chosen: ReadonlyMap<string, readonly number[]> };
}

export const SIDE_COLOR: Record<Side, number> = { source: 0xd68f5c, result: 0x5cbaa6 };
/** Influences at which the scale of that look ends. */
export const MOST_INFLUENCES = 8;
/** Distance from the mirror image at which the scale of that look ends, millimetres. */
export const MOST_CROOKED = 5;
/** Texels on a centimetre between which that look goes from dark to light, each doubling as much. */
export const DENSITIES = [1, 64] as const;

/** One figure as it stands, in its own materials: where a picture or a test begins. */
export const AS_IT_STANDS: StageState = {
  view: 'source',
  look: 'material',
  skeleton: false,
  light: 35,
  hidden: [],
  isolated: null,
  part: null,
  joint: { source: null, result: null },
  morphs: {},
  played: null,
  pose: null,
  clip: null,
  time: 0,
  turned: { source: new Map(), result: new Map() },
  axes: false,
  deviation: null,
  density: null,
  asymmetry: null,
  mixed: null,
  marks: null,
  pins: null,
  wrap: null,
  seats: null,
  limitMm: 1,
  regions: { misplaced: new Map(), chosen: new Map() },
};
