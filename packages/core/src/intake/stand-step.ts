import * as v from 'valibot';
import { updateDossier } from '../character/index.ts';
import { defineStep } from '../step.ts';
import { measureStance, standUp } from './stance.ts';

export const standStep = defineStep({
  id: 'intake.stand', station: 'intake', title: 'Stand on the floor in metres', version: 1, needs: ['I2'],
  settings: v.object({
    /** Metres per unit of the file; found from the body's height where not given. */
    unitMetres: v.optional(v.pipe(v.number(), v.minValue(1e-6), v.maxValue(1e6))),
    upAxis: v.optional(v.picklist(['y', 'z'])),
    facing: v.optional(v.picklist(['+z', '-z', '+x', '-x'])),
    floor: v.optional(v.boolean(), true),
  }),
  reads: () => null,
  applies: () => true,
  async run(document, settings) {
    const before = measureStance(document);
    standUp(document, { unitMetres: settings.unitMetres ?? before.unitMetres, upAxis: settings.upAxis ?? before.upAxis, facing: settings.facing ?? before.facing, floor: settings.floor });
    const after = measureStance(document);
    updateDossier(document, { found: { upAxis: before.upAxis, unitMetres: before.unitMetres, facing: before.facing, evidence: before.evidence } });
    return { measures: [{ name: 'height', unit: 'cm', source: before.heightCm, result: after.heightCm }, { name: 'lowest point', unit: 'cm', source: before.lowestCm, result: after.lowestCm }], findings: [] };
  },
});
