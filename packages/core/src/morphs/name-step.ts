import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import { worded } from '../settings.ts';
import { defineStep, meant } from '../step.ts';
import { MORPH_PATTERN, type Target } from '../targets/index.ts';
import { type MorphNaming, nameMorphs } from './name-morphs.ts';

const NameSettings = v.object({
  /** Text with `{name}` in it; what the target says where left out. */
  pattern: v.optional(MORPH_PATTERN),
  words: worded(v.optional(v.picklist(['keep', 'camel', 'snake'])), {
    title: 'Words of a name',
    words: { keep: 'As they come', camel: 'joinedLikeThis', snake: 'joined_like_this' },
  }),
  order: worded(v.optional(v.picklist(['keep', 'name'])), {
    title: 'Order',
    words: { keep: 'As they come', name: 'By name' },
  }),
});
type NameSettings = v.InferOutput<typeof NameSettings>;

const namingOf = (settings: NameSettings, target: Target): MorphNaming => ({ ...target.morphs.names, ...settings });
const asked = ({ pattern = '{name}', words = 'keep', order = 'keep' }: MorphNaming): boolean =>
  pattern !== '{name}' || words !== 'keep' || order !== 'keep';

export const nameStep = defineStep({
  id: 'morphs.name',
  station: 'morphs',
  title: 'Names and order',
  says: 'Morphs are called and ordered as the target wants them; clips go along.',
  needs: ['M5'],
  settings: NameSettings,
  reads: (target) => target.morphs.names ?? null,
  ...meant(
    (settings: NameSettings, target, document) =>
      asked(namingOf(settings, target)) && listMorphNames(document).length > 0,
    (document, settings, target) => nameMorphs(document, namingOf(settings, target)),
    (target, document) => asked(target.morphs.names ?? {}) && listMorphNames(document).length > 0,
  ),
  async run(document, settings, target) {
    const total = listMorphNames(document).length,
      named = nameMorphs(document, namingOf(settings, target));
    return { measures: [measure('morphs-renamed', 0, named), measure('morph-targets', total, total)], findings: [] };
  },
});
