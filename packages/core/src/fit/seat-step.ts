import * as v from 'valibot';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep } from '../step.ts';
import { figureOf, type Target } from '../targets/index.ts';
import { fittedParts } from './carry-morphs.ts';
import { layInner, type Seated } from './lay-inner.ts';
import { openFigure, standing } from './open-figure.ts';

const millimetres = (title: string) =>
  worded(v.optional(v.pipe(v.number(), v.minValue(-20), v.maxValue(20)), 0), { title, step: 0.2 });
const times = (title: string) =>
  worded(v.optional(v.pipe(v.number(), v.minValue(0.5), v.maxValue(2)), 1), { title, step: 0.01 });
const SeatSettings = v.object({
  of: worded(v.optional(v.picklist(['target', 'source', 'figure']), 'target'), {
    title: 'Eyes, teeth, gums and tongue',
    words: { target: 'As the target says', source: 'The character’s own', figure: 'The figure’s, with its looks' },
  }),
  eyesLarger: times('Eyes larger, times'),
  eyesForward: millimetres('Eyes forward, mm'),
  biteLarger: times('Teeth larger, times'),
  biteForward: millimetres('Teeth forward, mm'),
  biteUp: millimetres('Teeth up, mm'),
});
type Of = v.InferOutput<typeof SeatSettings>['of'];

const isAsked = ({ fit }: Target, of: Of = 'target'): boolean =>
  of === 'target' ? fit?.eyes === 'figure' : of === 'figure';

export const seatStep = defineStep({
  id: 'fit.seat',
  station: 'fit',
  title: 'Eyes and teeth of the figure',
  says: 'The figure’s own eyes, teeth, gums and tongue come to stand where the character’s stand: eyeballs of the same size in the same place, a bite as wide. They get the character’s looks and morphs.',
  needs: ['F4', 'F5'],
  settings: SeatSettings,
  reads: (target) => [target.fit?.eyes ?? null, figureOf(target)?.body ?? null],
  applies: (document, target, settings) =>
    settings !== undefined &&
    isAsked(target, settings.of) &&
    Boolean(figureOf(target)?.body) &&
    fittedParts(document).length > 0,
  async run(document, settings, target, context) {
    context.progress(0, 'opening the other figure');
    const { document: opened, name } = await openFigure(target, context),
      { eyesLarger, eyesForward, biteLarger, biteForward, biteUp } = settings,
      seated = layInner(document, standing(opened), {
        eyes: { larger: eyesLarger, forward: eyesForward / 1000, up: 0 },
        bite: { larger: biteLarger, forward: biteForward / 1000, up: biteUp / 1000 },
      });
    if (!seated)
      return {
        measures: [],
        findings: [
          {
            code: 'fit.not-seated',
            severity: 'warning',
            message: `Neither eyes nor teeth of ${name} have a counterpart here: the character’s own stay. Say at Materials which parts are eyes and teeth, or learn the figure from a sample that has them.`,
          },
        ],
      };
    const { eyes, bite } = seated.scales,
      round = (x: number) => Math.round(x * 1000) / 10;
    return {
      measures: [
        ...(eyes.length
          ? [measure('eyes-as-large', 100, round(eyes.reduce((sum, x) => sum + x, 0) / eyes.length))]
          : []),
        ...(bite === null ? [] : [measure('bite-as-wide', 100, round(bite))]),
      ],
      findings: told(seated, name),
    };
  },
});

function told({ parts, missing }: Seated, name: string): Finding[] {
  return [
    ...parts.map(
      (part): Finding => ({
        code: 'fit.seated',
        severity: 'info',
        message: `“${part.name}” of ${name} stands where ${part.of.map((one) => `“${one}”`).join(' and ') || 'nothing'} stood, with its looks.`,
        where: part.name,
      }),
    ),
    ...(missing.length
      ? [
          {
            code: 'fit.not-seated',
            severity: 'info' as const,
            message: `Only one of both has ${missing.join(', ')}, or it can’t be told how it lies: what the character has of it stays.`,
            measured: missing.length,
          },
        ]
      : []),
  ];
}
