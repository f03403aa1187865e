import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { updateDossier } from '../character/index.ts';
import { defineStep } from '../step.ts';
import { measureStance, UP_AXES, type Stance } from './stance.ts';
import { standUp } from './stand-up.ts';

export const STAND_SETTINGS = v.object({
  /** Metres per unit of the file; found from the body's height where not given. */
  unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-6), v.maxValue(1e6))),
  upAxis: v.optional(v.picklist(UP_AXES)),
  /** Where it looks once it stands upright. */
  facing: v.optional(v.picklist(['+z', '-z', '+x', '-x'])),
  floor: v.optional(v.boolean(), true),
});

/** Stands a character up as found, or as set by hand; the step, the stage and parity see the same figure. @returns what was found */
export function standAsFound(document: Document, settings: v.InferInput<typeof STAND_SETTINGS> = {}): Stance {
  const found = measureStance(document);
  const { unitMetres = found.unitMetres, upAxis = found.upAxis, facing = found.facing, floor = true } = settings;
  standUp(document, { unitMetres, upAxis, facing, floor, lowestCm: unitMetres === found.unitMetres && upAxis === found.upAxis ? found.lowestCm : undefined });
  return found;
}

export const standStep = defineStep({
  id: 'intake.stand', station: 'intake', title: 'Stand on the floor in metres', version: 3, needs: ['I2'],
  settings: STAND_SETTINGS,
  reads: () => null,
  applies: () => true,
  async run(document, settings) {
    const before = standAsFound(document, settings);
    // A figure that stood already needs no second look.
    const stood = before.upAxis === 'y' && before.unitMetres === 1 && before.facing === '+z' && Math.abs(before.lowestCm) < 0.1 && settings.unitMetres === undefined && settings.upAxis === undefined && settings.facing === undefined;
    const after = stood ? before : measureStance(document);
    updateDossier(document, { found: { upAxis: before.upAxis, unitMetres: before.unitMetres, facing: before.facing, evidence: before.evidence } });
    return { measures: [{ name: 'height', unit: 'cm', source: before.heightCm, result: after.heightCm }, { name: 'lowest point', unit: 'cm', source: before.lowestCm, result: after.lowestCm }], findings: [] };
  },
});
