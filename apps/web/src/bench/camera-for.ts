import { type AppearanceView, cameraOf } from '@dimetra/core';

/** Degrees that the stage sees from top to bottom. */
const STAGE_LENS = 28;

/** Where the stage's camera stands to see what a picture of the proof saw. */
export function cameraFor(view: AppearanceView): { at: number[]; to: number[] } {
  const { forward } = cameraOf(view),
    distance = view.heightM / 2 / Math.tan((STAGE_LENS * Math.PI) / 360);
  return { at: view.middle.map((x, k) => x - forward[k] * distance), to: [...view.middle] };
}
