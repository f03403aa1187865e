import { updateDossier, type Dossier } from '../character/index.ts';
import { measure, measureOf, type Measure } from '../measures.ts';
import { defineStep } from '../step.ts';
import { measureStance, type Stance, STAND_SETTINGS, standAsFound, standsAsSet } from '../rig/index.ts';

export const standStep = defineStep({
  id: 'intake.stand',
  station: 'intake',
  title: 'Stand on the floor in metres',
  needs: ['I2'],
  settings: STAND_SETTINGS,
  reads: () => null,
  applies: () => true,
  reference: {
    needed: (_document, settings, stance) => !standsAsSet(stance, settings),
    undergo: (document, settings) => void standAsFound(document, settings),
  },
  async run(document, settings) {
    const before = standAsFound(document, settings);
    // A figure that stood already needs no second look.
    const after = standsAsSet(before, settings) ? before : measureStance(document);
    updateDossier(document, {
      found: { upAxis: before.upAxis, unitMetres: before.unitMetres, facing: before.facing, evidence: before.evidence },
    });
    return {
      measures: [
        measure('height', before.heightCm, after.heightCm),
        measure('lowest-point', before.lowestCm, after.lowestCm),
      ],
      findings: [],
    };
  },
});

/** What the step found before it did anything, from what it says of itself; null where it doesn't. */
export function stanceFound(measures: readonly Measure[], found: Dossier['found']): Stance | null {
  const heightCm = measureOf(measures, 'height')?.source,
    lowestCm = measureOf(measures, 'lowest-point')?.source;
  return found && typeof heightCm === 'number' && typeof lowestCm === 'number'
    ? { ...found, facing: found.facing as Stance['facing'], heightCm, lowestCm }
    : null;
}
