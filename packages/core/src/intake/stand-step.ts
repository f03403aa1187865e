import { updateDossier, type Dossier } from '../character/index.ts';
import { defineStep, type Measure } from '../step.ts';
import { measureStance, type Stance, STAND_SETTINGS, standAsFound } from '../rig/index.ts';

export const standStep = defineStep({
  id: 'intake.stand',
  station: 'intake',
  title: 'Stand on the floor in metres',
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
