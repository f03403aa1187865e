import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listParts } from '../character/index.ts';
import { measure } from '../measures.ts';
import { type Finding, throwIfAborted } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant, otherCharacter, type StepContext } from '../step.ts';
import { type Figure, figureOf, SHIPPED_FIGURES, type Target } from '../targets/index.ts';
import { isSkin } from '../wrap/index.ts';
import { type LaidAnew, layOutAnew } from './lay-out-anew.ts';
import { openFigure, openFigureBody, type OpenedFigure } from './open-figure.ts';
import { refuseBody, refuseCharacter } from './refuse.ts';

const WITH_BODY = SHIPPED_FIGURES.filter(({ body }) => body);
const LayoutSettings = v.object({
  /** Figure that the maps were painted for, of those that ship. */
  figure: worded(v.optional(v.picklist(['none', 'target', ...WITH_BODY.map(({ id }) => id)]), 'none'), {
    title: 'Painted for',
    words: {
      none: 'This skin',
      target: 'The target’s figure',
      ...Object.fromEntries(WITH_BODY.map(({ id, title }) => [id, title])),
    },
  }),
  /** A character with that figure's texture places instead, as the application or the command line names it. */
  body: v.optional(v.nullable(v.pipe(v.string(), v.minLength(1), v.maxLength(500))), null),
});
type Settings = v.InferOutput<typeof LayoutSettings>;

const asked = ({ figure, body }: Settings, _target: unknown, document: Document): boolean =>
  (figure !== 'none' || Boolean(body)) && listParts(document).some((part) => isSkin(part) && part.material);

/** Opens whose layout the maps have, lays its skin on the character's and the maps as that is laid out. */
async function carryOut(
  document: Document,
  { figure, body }: Settings,
  target: Target,
  context: StepContext,
): Promise<LaidAnew & { name: string }> {
  context.progress(0, 'opening the other figure');
  const opened: OpenedFigure = body
    ? await otherCharacter(context, body, {
        code: 'fit.no-body',
        wanted: 'Maps should be laid out anew',
        who: 'The character whose texture places they were painted for',
      })
    : figure === 'target'
      ? await openFigure(target, context)
      : await openFigureBody(WITH_BODY.find(({ id }) => id === figure) as Figure, context);
  const { name } = opened;
  const done = await layOutAnew(document, opened, context, {
    stop: () => throwIfAborted(context.signal),
    refuse: (its, own) => {
      refuseBody(its, name);
      refuseCharacter(own);
    },
  });
  return { ...done, name };
}

export const layoutStep = defineStep({
  id: 'fit.layout',
  station: 'fit',
  title: 'Maps of another layout',
  says: 'Maps of the skin that were painted for another figure are laid out as this skin is: that figure takes on the shape of this one, and each texel shows the place that it lies on there.',
  needs: ['F4'],
  settings: LayoutSettings,
  reads: (target) => figureOf(target)?.body ?? null,
  ...meant<Settings>(asked, carryOut),
  async run(document, settings, target, context) {
    const { name, maps, unreadable, told } = await carryOut(document, settings, target, context);
    return {
      measures: [measure('maps-laid-out', 0, maps.length)],
      findings: [
        ...told.map(({ material, part, own, theirs }): Finding => {
          const percent = (share: number | null) => `${Math.round((share ?? 0) * 100)} %`;
          return part
            ? {
                code: 'fit.layout-anew',
                severity: 'info',
                message: `Maps of “${material}” were painted for “${part}” of ${name} (across its seams they differ by ${percent(theirs)} of what they differ by anywhere, across those they lay on by ${percent(own)}); now they lie as the skin does.`,
                where: material,
              }
            : {
                code: 'fit.layout-kept',
                severity: 'warning',
                message:
                  own === null
                    ? `Whether maps of “${material}” were painted for ${name} can’t be told: they are too even, or the skin has too few seams. They lie as they did.`
                    : `Maps of “${material}” don’t fit ${name} better than what they lie on (${percent(theirs)} against ${percent(own)} across seams): they lie as they did.`,
                where: material,
              };
        }),
        ...unreadable.map(
          (file): Finding => ({
            code: 'fit.map-unreadable',
            severity: 'warning',
            message: `“${file}” can’t be opened: what it showed is not on the new map. Bring it again at Textures.`,
            where: file,
          }),
        ),
      ],
    };
  },
});
