import type { Station } from '@dimetra/core';
import { createContext, useContext, type RefObject } from 'react';
import type { CharacterDetail, RunDetail, TargetRow } from '@dimetra/contract';
import type { StageRenderer } from './renderer.ts';
import type { Regions } from '../figure/regions.ts';
import type { MixPreview } from '../figure/mix.ts';
import type { FitPreview } from '../figure/landmarks.ts';
import type { PinsAtWork } from '../figure/pins.ts';
import type { SeatsAtWork } from '../figure/seats.ts';
import type { WrapWatch } from '../figure/watch-wrap.ts';
import type { Figures } from './figures.ts';

export interface DeskValue {
  character: CharacterDetail;
  target: TargetRow;
  /** The newest run, under way or not. */
  run: RunDetail | undefined;
  /** The newest run that was finished, measured and packed. */
  finished: RunDetail | undefined;
  /** The run whose result stands on the stage: the one just being measured, or the finished one. */
  staged: RunDetail | undefined;
  figures: Figures;
  regions: Regions;
  mix: MixPreview;
  fit: FitPreview;
  pins: PinsAtWork;
  seats: SeatsAtWork;
  /** Null where the skin isn't to get another's polygons. */
  watch: WrapWatch | null;
  open: Station;
  onOpen: (station: Station) => void;
  stage: RefObject<StageRenderer | null>;
}
export const DeskContext = createContext<DeskValue | null>(null);
export function useDesk(): DeskValue {
  const value = useContext(DeskContext);
  if (!value) throw new Error('useDesk: expected a Desk around it');
  return value;
}
