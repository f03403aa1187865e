import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { updateDossier, type Dossier } from '../character/index.ts';
import { defineStep, type Measure } from '../step.ts';
import { measureStance, UP_AXES, type Stance } from './stance.ts';
import { standUp } from './stand-up.ts';

/** Centimetres; with what rounding takes still less than the millimetre that is a shoe's own business. */
const SURELY_STANDS = 0.09;

export const STAND_SETTINGS = v.object({
  /** Metres per unit of the file; found from the body's height where not given. */
  unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-6), v.maxValue(1e6))),
  upAxis: v.optional(v.picklist(UP_AXES)),
  /** Where it looks once it stands upright. */
  facing: v.optional(v.picklist(['+z', '-z', '+x', '-x'])),
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

export const standStep = defineStep({
  id: 'intake.stand',
  station: 'intake',
  title: 'Stand on the floor in metres',
  version: 3,
  needs: ['I2'],
  settings: STAND_SETTINGS,
  reads: () => null,
  applies: () => true,
  async run(document, settings) {
    const before = standAsFound(document, settings);
    // A figure that stood already needs no second look.
    const stood =
      before.upAxis === 'y' &&
      before.unitMetres === 1 &&
      before.facing === '+z' &&
      Math.abs(before.lowestCm) < 0.1 &&
      settings.unitMetres === undefined &&
      settings.upAxis === undefined &&
      settings.facing === undefined;
    const after = stood ? before : measureStance(document);
    updateDossier(document, {
      found: { upAxis: before.upAxis, unitMetres: before.unitMetres, facing: before.facing, evidence: before.evidence },
    });
    return {
      measures: [
        { name: 'height', unit: 'cm', source: before.heightCm, result: after.heightCm },
        { name: 'lowest point', unit: 'cm', source: before.lowestCm, result: after.lowestCm },
      ],
      findings: [],
    };
  },
});

/** What the step found before it did anything, from what it says of itself; null where it doesn't. */
export function stanceFound(measures: readonly Measure[], found: Dossier['found']): Stance | null {
  const of = (name: string) => measures.find((measure) => measure.name === name)?.source,
    heightCm = of('height'),
    lowestCm = of('lowest point');
  return found && typeof heightCm === 'number' && typeof lowestCm === 'number'
    ? { ...found, facing: found.facing as Stance['facing'], heightCm, lowestCm }
    : null;
}
