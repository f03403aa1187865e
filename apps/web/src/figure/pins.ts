import type { LeftRegion, Pin, PlaceOn } from '@dimetra/core';

/** Figures that stand beside each other. */
export type PinSide = 'source' | 'result';
/** What was pinned on a figure: one place, or a curve, metres. */
export interface PinMark {
  places: readonly (readonly [number, number, number])[];
  kind: 'pin' | 'draft' | 'chosen' | 'region';
}
export type PinKind = 'pin' | 'curve' | 'leave';
/** What somebody is pointing out on the stage. */
export interface PinDraft {
  kind: PinKind;
  of: PlaceOn[];
  to: PlaceOn[];
}
/** Pins of the wrap: those that are set, and the one that is being pointed out. */
export interface PinsAtWork {
  pins: readonly Pin[];
  leave: readonly LeftRegion[];
  draft: PinDraft | null;
  /** Which figure is asked to be pointed at next; null: either. */
  asked: PinSide | null;
  /** Which figure a key means where either may be pointed at: the one with fewer places. */
  nextSide: PinSide;
  /** Where the draft is a curve: whether it has two places on either figure. */
  canFinish: boolean;
  begin(kind: PinKind): void;
  take(side: PinSide, place: PlaceOn): void;
  finish(): void;
  cancel(): void;
  putAround(list: 'pins' | 'leave', number: number, around: number | undefined): void;
  remove(list: 'pins' | 'leave', number: number): void;
  chosen: string | null;
  choose(key: string | null): void;
  marks: Record<PinSide, readonly PinMark[]> | null;
}
