import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { FACINGS, measureStance, type Stance, UP_AXES } from './stance.ts';
import { standUp } from './stand-up.ts';

/** Centimetres; with what rounding takes still less than the millimetre that is a shoe's own business. */
const SURELY_STANDS = 0.09;

export const STAND_SETTINGS = v.object({
  /** Metres per unit of the file; found from the body's height where not given. */
  unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-6), v.maxValue(1e6))),
  upAxis: v.optional(v.picklist(UP_AXES)),
  /** Where it looks once it stands upright. */
  facing: v.optional(v.picklist(FACINGS)),
  floor: v.optional(v.boolean(), true),
});

type StandSettings = v.InferInput<typeof STAND_SETTINGS>;

/** Whether a character of this stance stands already as it is to stand: standing it up would change nothing. */
export function standsAsSet(
  found: Stance,
  { unitMetres = found.unitMetres, upAxis = found.upAxis, facing = found.facing, floor = true }: StandSettings = {},
): boolean {
  return (
    unitMetres === 1 &&
    upAxis === 'y' &&
    facing === '+z' &&
    found.unitMetres === 1 &&
    found.upAxis === 'y' &&
    (!floor || Math.abs(found.lowestCm) < SURELY_STANDS)
  );
}

/** Stands a character up as found, or as set by hand; the step, the stage and parity see the same figure. @returns what was found */
export function standAsFound(document: Document, settings: StandSettings = {}): Stance {
  const found = measureStance(document);
  if (standsAsSet(found, settings)) return found;
  const { unitMetres = found.unitMetres, upAxis = found.upAxis, facing = found.facing, floor = true } = settings;
  standUp(document, { unitMetres, upAxis, facing, floor });
  return found;
}
