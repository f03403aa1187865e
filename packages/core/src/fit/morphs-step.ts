import * as v from 'valibot';
import { measure } from '../measures.ts';
import { throwIfAborted } from '../problem.ts';
import { defineStep } from '../step.ts';
import { carryReplacedMorphs, fittedParts } from './carry-morphs.ts';
import { replacedIn } from './replaced.ts';

export const fitMorphsStep = defineStep({
  id: 'fit.morphs',
  station: 'fit',
  title: 'Morphs onto the new polygons',
  says: 'Each morph moves the new skin as it moved the place that it lies on.',
  needs: ['F5'],
  settings: v.object({}),
  reads: () => null,
  applies: (document, _target, settings) => settings !== undefined && fittedParts(document).length > 0,
  async run(document, _settings, _target, context) {
    const replaced = replacedIn(document);
    if (!replaced) return { measures: [], findings: [] };
    const done = carryReplacedMorphs(document, replaced, (fraction, name) => {
      throwIfAborted(context.signal);
      context.progress(fraction, name);
    });
    return {
      measures: [measure('morphs-carried', 0, done.filter(({ vertices }) => vertices > 0).length)],
      findings: [],
    };
  },
});
