import * as v from 'valibot';
import { readDossier } from '../character/index.ts';
import { measure } from '../measures.ts';
import { throwIfAborted } from '../problem.ts';
import { defineStep } from '../step.ts';
import { carryMorphs } from './carry.ts';
import { goesAlong } from './goes-along.ts';

export const followStep = defineStep({
  id: 'fit.follow',
  station: 'fit',
  title: 'What is worn with the figure’s own morphs',
  says: 'Lashes, brows, hair and clothes go along with the morphs that came with another figure’s polygons, as far from the skin as before.',
  needs: ['F5', 'M6'],
  settings: v.object({}),
  reads: () => null,
  applies: (document, _target, settings) =>
    settings !== undefined && (readDossier(document).figureMorphs?.length ?? 0) > 0,
  async run(document, _settings, _target, context) {
    const names = readDossier(document).figureMorphs ?? [],
      carried = carryMorphs(document, names, goesAlong(document), (fraction, morph) => {
        throwIfAborted(context.signal);
        context.progress(fraction, `carrying ${morph} along`);
      });
    return {
      measures: [
        measure('morphs-carried', 0, new Set(carried.map(({ name }) => name)).size),
        measure('parts-carried', 0, new Set(carried.map(({ part }) => part)).size),
      ],
      findings: [],
    };
  },
});
