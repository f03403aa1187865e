import * as v from 'valibot';
import type { Finding } from '../problem.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { mirrorWeights, smoothWeights, weightFaults } from './mend.ts';

export const mendWeightsStep = defineStep({
  id: 'weights.mend',
  station: 'weights',
  title: 'Mend weights',
  says: "Vertices without weight take on their neighbours', weights that pull the other side along or stand alone far off are taken out, sums brought to one.",
  needs: ['K5', 'K6'],
  settings: v.object({
    /** Vertices without weight, limbs of the other side, strays and sums that are off. */
    mend: worded(v.optional(v.boolean(), true), { title: 'Mend' }),
    /** Which side's weights are laid on the other. */
    mirror: worded(v.optional(v.picklist(['none', 'left', 'right']), 'none'), {
      title: 'Mirror',
      words: { none: 'Each side its own', left: 'Left onto right', right: 'Right onto left' },
    }),
    /** Passes in which weights take on their neighbours'. */
    smooth: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(20)), 0), {
      title: 'Smooth, passes',
    }),
  }),
  reads: () => null,
  applies: (document) => document.getRoot().listSkins().length > 0,
  async run(document, settings) {
    const findings: Finding[] = [],
      found = weightFaults(document, settings.mend);
    const mirrored = settings.mirror === 'none' ? 0 : mirrorWeights(document, settings.mirror).changed;
    if (settings.smooth) smoothWeights(document, settings.smooth);
    const say = (code: string, count: number, what: string) => {
      if (count)
        findings.push({
          code,
          severity: settings.mend ? 'info' : 'warning',
          message: `${count.toLocaleString('en-GB')} ${what}${settings.mend ? '; mended' : ''}.`,
          measured: count,
          limit: 0,
        });
    };
    say('weights.unweighted', found.unweighted, 'vertices followed no joint');
    say('weights.other-side', found.otherSide, 'weights pulled the other side along');
    say('weights.stray', found.stray, 'weights of far joints stood alone');
    say('weights.sums', found.sums, "vertices had weights that don't sum to one");
    const any = found.unweighted + found.otherSide + found.stray + found.sums > 0,
      left = settings.mend && any ? weightFaults(document) : found;
    return {
      measures: [
        measure('vertices-without-weight', found.unweighted, left.unweighted),
        measure('weights-across-the-middle', found.otherSide, left.otherSide),
        measure('stray-weights', found.stray, left.stray),
        ...(mirrored ? [measure('vertices-mirrored', 0, mirrored)] : []),
      ],
      findings,
    };
  },
});
