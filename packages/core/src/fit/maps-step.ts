import * as v from 'valibot';
import { readDossier, updateDossier } from '../character/index.ts';
import { measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { carryColors } from './carry-colors.ts';
import { carryMaps } from './carry-maps.ts';
import { fittedParts } from './carry-morphs.ts';
import { dropReplaced, replacedIn } from './replaced.ts';

export const fitMapsStep = defineStep({
  id: 'fit.maps',
  station: 'fit',
  title: 'Maps onto the new texture places',
  says: 'Every map of the skin is laid out anew as the other figure’s texture places are: each texel shows the place of the old surface that it lies on.',
  needs: ['F3', 'F4'],
  settings: v.object({
    size: worded(v.optional(v.picklist(['found', '512', '1024', '2048', '4096', '8192']), 'found'), {
      title: 'Size of the maps',
      words: {
        found: 'As fine as they were',
        512: '512 at most',
        1024: '1024 at most',
        2048: '2048 at most',
        4096: '4096 at most',
        8192: '8192 at most',
      },
    }),
  }),
  reads: (target) => target.fit?.maps ?? null,
  applies: (document, _target, settings) => settings !== undefined && fittedParts(document).length > 0,
  async run(document, { size }, target, context) {
    const replaced = replacedIn(document);
    if (!replaced) return { measures: [], findings: [] };
    const { maps, unreadable } = await carryMaps(
        document,
        replaced,
        size === 'found' ? (target.fit?.maps ?? null) : Number(size),
        context,
        () => throwIfAborted(context.signal),
      ),
      findings: Finding[] = unreadable.map((file) => ({
        code: 'fit.map-unreadable',
        severity: 'warning',
        message: `“${file}” can’t be opened: what it showed is not on the new map. Bring it again at Textures.`,
        where: file,
      }));
    const names = replaced.parts.flatMap(({ material }) => material?.getName() ?? []),
      { laidOut = [] } = readDossier(document);
    updateDossier(document, { laidOut: [...new Set([...laidOut, ...names])] });
    const colored = carryColors(document, replaced);
    dropReplaced(document);
    return {
      measures: [
        measure('maps-laid-out', 0, maps.length),
        ...(colored ? [measure('vertex-colors-carried', 0, colored)] : []),
      ],
      findings,
    };
  },
});
