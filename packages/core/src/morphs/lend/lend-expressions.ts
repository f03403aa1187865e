import type { Document } from '@gltf-transform/core';
import { freeName, listMorphNames } from '../../character/index.ts';
import { type Finding, ProblemError, throwIfAborted } from '../../problem.ts';
import { otherCharacter, type StepContext } from '../../step.ts';
import type { ExpressionEntry } from '../../targets/index.ts';
import { findExpressions, type FoundExpression } from '../find-expressions.ts';
import { type LentMorphs, lendMorphs } from './lend-morphs.ts';
import type { LaidOn } from './wrapped-counterparts.ts';

export interface Lent {
  found: FoundExpression[];
  /** Morphs that came for them. */
  morphs: string[];
  findings: Finding[];
}
export const NOTHING_LENT: Lent = { found: [], morphs: [], findings: [] };

/** Looks for expressions on another figure, and brings over the morphs that make them. @throws ProblemError morphs.no-lender */
export async function lendExpressions(
  document: Document,
  missing: readonly ExpressionEntry[],
  from: string,
  context: StepContext,
): Promise<Lent> {
  const other = await otherCharacter(context, from, {
      code: 'morphs.no-lender',
      wanted: 'Expressions should come from another character',
      who: 'The character that lends expressions',
    }),
    there = findExpressions(other.document, {
      schema: 1,
      id: 'missing',
      title: 'What is missing',
      entries: [...missing],
    }).found.filter(({ turned, mirrored }) => !turned.length && !mirrored.length),
    taken = new Set(listMorphNames(document)),
    names = new Map<string, string>();
  for (const morph of new Set(there.flatMap(({ terms }) => terms.map((term) => term.morph))))
    names.set(morph, freeName(`${morph} of ${other.name}`, taken));
  if (!names.size) return { ...NOTHING_LENT, findings: [nothing(other.name, missing.length)] };
  let lent: LentMorphs;
  try {
    lent = lendMorphs(document, other, names, {
      stop: () => throwIfAborted(context.signal),
      progress: (done) => context.progress(0.9 * done, `laying the skin of ${other.name} on this one’s`),
    });
  } catch (error) {
    if (!(error instanceof ProblemError) || error.code !== 'morphs.other-topology') throw error;
    return {
      ...NOTHING_LENT,
      findings: [
        {
          code: 'morphs.lender-other-topology',
          severity: 'warning',
          message: `“${other.name}” can't lend expressions: its face is another mesh, and it can't be laid on this one: that takes two whole figures with a skeleton, whose skin is known. Choose another figure.`,
          where: other.name,
          repair: 'morphs.expressions',
        },
      ],
    };
  }
  const { made: morphs, laid } = lent,
    found = there.flatMap((one): FoundExpression[] => {
      const terms = one.terms.map((term) => ({ ...term, morph: names.get(term.morph) as string }));
      return terms.some(({ morph }) => morphs.includes(morph)) ? [{ ...one, how: 'other', terms }] : [];
    });
  if (!found.length) return { found, morphs, findings: [nothing(other.name, missing.length)] };
  return { found, morphs, findings: laid ? [otherPolygons(other.name, laid)] : [] };
}

const otherPolygons = (name: string, { offMm }: LaidOn): Finding => ({
  code: 'morphs.lender-other-polygons',
  severity: 'info',
  message: `“${name}” has other polygons: its skin was laid on this one's, ${offMm.toFixed(2)} mm off it in the mean, and its movements were carried over from there. Look at lips and lids.`,
  where: name,
  measured: offMm,
  repair: 'morphs.expressions',
});

const nothing = (name: string, count: number): Finding => ({
  code: 'morphs.lender-has-none',
  severity: 'warning',
  message: `“${name}” has none of the ${count} expressions that are missing here.`,
  where: name,
  measured: 0,
  repair: 'morphs.expressions',
});
