import type { Document } from '@gltf-transform/core';
import * as v from 'valibot';
import { listMorphNames } from '../character/index.ts';
import { measure } from '../measures.ts';
import type { Finding } from '../problem.ts';
import { worded } from '../settings.ts';
import { defineStep, meant, type StepContext } from '../step.ts';
import type { Target } from '../targets/index.ts';
import { ExpressionSetSchema, expressionSetOf } from '../targets/index.ts';
import { findExpressions, type FoundExpression, type FoundHow } from './find-expressions.ts';
import { byJoints } from './joint-expressions.ts';
import { lendExpressions, NOTHING_LENT } from './lend/lend-expressions.ts';
import { makeExpressions } from './make-expressions.ts';

const ExpressionSettings = v.object({
  /** Id of a set that ships, or a set of one's own; the target's where left out. */
  set: v.optional(v.union([v.string(), ExpressionSetSchema])),
  /** Which morph stands for an expression, by hand: name in the set → morph. */
  names: v.optional(v.record(v.string(), v.string()), {}),
  /** Another figure, which lends expressions that can't be had here; as the application or the command line names it. */
  from: v.optional(v.pipe(v.string(), v.minLength(1), v.maxLength(500))),
  /** Morphs that are none of the set stay. */
  others: worded(v.optional(v.boolean(), true), { title: "Keep morphs that the set doesn't ask for" }),
});
type ExpressionSettings = v.InferOutput<typeof ExpressionSettings>;

const setFor = (settings: ExpressionSettings, target: Target) => settings.set ?? target.morphs.expressions;

/** Whether there is anything to make expressions of. */
const canExpress = (document: Document): boolean => listMorphNames(document).length > 0 || byJoints(document).size > 0;
const isAsked = (settings: ExpressionSettings, target: Target, document: Document): boolean =>
  setFor(settings, target) !== undefined && (Boolean(settings.from) || canExpress(document));

async function carryOut(document: Document, settings: ExpressionSettings, target: Target, context: StepContext) {
  const set = expressionSetOf(setFor(settings, target)),
    { found, missing } = findExpressions(document, set, settings.names),
    lent =
      settings.from && missing.length ? await lendExpressions(document, missing, settings.from, context) : NOTHING_LENT,
    all = [...found, ...lent.found];
  makeExpressions(document, all, settings.others, lent.morphs);
  return {
    set,
    found: all,
    missing: missing.filter((entry) => !lent.found.some((one) => one.entry === entry)),
    findings: lent.findings,
  };
}

const HOW: Record<Exclude<FoundHow, 'name' | 'by hand'>, string> = {
  shape: 'by what they move',
  half: 'as half of a whole',
  halves: 'of two halves',
  mirror: 'as the mirror image of the other side',
  sum: 'as a sum of others',
  joints: 'by turning the joints of jaw or eyes',
  inverse: 'as the inverse of what moves the other way',
  other: 'from another figure, whose movements were carried over',
};

export const expressionsStep = defineStep({
  id: 'morphs.expressions',
  station: 'morphs',
  title: 'Expressions',
  says: 'The expressions that the target asks for are found by name and by what they move, renamed, or made of what is there.',
  needs: ['M5'],
  settings: ExpressionSettings,
  reads: (target) => target.morphs.expressions ?? null,
  ...meant(isAsked, carryOut, (target, document) => target.morphs.expressions !== undefined && canExpress(document)),
  async run(document, settings, target, context) {
    const before = listMorphNames(document).length,
      slips = saidInVain(document, settings, target),
      { set, found, missing, findings: ofOther } = await carryOut(document, settings, target, context),
      needed = missing.filter((entry) => !entry.optional),
      findings: Finding[] = [...slips, ...ofOther, ...told(found)];
    if (needed.length)
      findings.push({
        code: 'morphs.expressions-missing',
        severity: 'warning',
        message: `${needed.length} of ${set.entries.length} expressions of “${set.title}” are not there and can't be made of what is: ${needed
          .slice(0, 8)
          .map(({ name }) => `“${name}”`)
          .join(
            ', ',
          )}${needed.length > 8 ? ' …' : ''}. Say by hand which morph stands for them, or which other figure lends them.`,
        measured: needed.length,
        limit: 0,
        repair: 'morphs.expressions',
      });
    return {
      measures: [
        measure('expressions', set.entries.length, found.length),
        measure('morph-targets', before, listMorphNames(document).length),
      ],
      findings,
    };
  },
});

/** Names said by hand that the set or the character doesn't have. */
function saidInVain(document: Document, settings: ExpressionSettings, target: Target): Finding[] {
  const { entries } = expressionSetOf(setFor(settings, target)),
    have = listMorphNames(document);
  return Object.entries(settings.names).flatMap(([entry, morph]): Finding[] => {
    const strange = !entries.some(({ name }) => name === entry)
      ? `the set has no expression “${entry}”`
      : have.includes(morph)
        ? null
        : `the character has no morph “${morph}” for “${entry}”`;
    return strange
      ? [
          {
            code: 'recipe.unknown-name',
            severity: 'warning',
            message: `Of what was said by hand of expressions, ${strange}. That did nothing.`,
            where: entry,
            repair: 'morphs.expressions',
          },
        ]
      : [];
  });
}

/** What was made, or told by shape alone, is said, so that somebody looks at it. */
function told(found: readonly FoundExpression[]): Finding[] {
  return (Object.keys(HOW) as (keyof typeof HOW)[]).flatMap((how): Finding[] => {
    const rows = found.filter((one) => one.how === how);
    if (!rows.length) return [];
    const words = rows.map(
      ({ entry, terms }) =>
        `“${entry.name}” from ${terms.map(({ morph, weight }) => (weight === 1 ? morph : `${weight} ${morph}`)).join(' + ')}`,
    );
    return [
      {
        code: `morphs.expression-${how}`,
        severity: 'info',
        message: `${rows.length === 1 ? 'One expression was' : `${rows.length} expressions were`} had ${HOW[how]}: ${words.slice(0, 8).join('; ')}${words.length > 8 ? ' …' : ''}.`,
        measured: rows.length,
        repair: 'morphs.expressions',
      },
    ];
  });
}
