import type { Document } from '@gltf-transform/core';
import { wordsOf } from '../character/index.ts';
import { type ExpressionSet, ExpressionSetSchema } from '../targets/index.ts';
import { parseOrTell, ProblemError } from '../problem.ts';
import { conceptsOf } from './concepts-of.ts';
import { type FaceMoves, faceMoves } from './face-features.ts';
import { FOR_FACES } from './goes-along.ts';
import { morphRows } from './morph-rows.ts';
import type { Side } from './sides.ts';

/** A face that moves less than this says nothing of which way, metres. */
const STILL = 3e-4;

/**
 * A set of expressions as a sample character has it: every morph that moves its face, under its name, with what it means
 * where that can be told, and which places go which way, so that others have it by shape too.
 * @param document the sample, standing
 * @throws ProblemError expressions.none
 */
export function learnExpressions(document: Document, title: string): ExpressionSet {
  const names = morphRows(document)
      .filter(({ kind, moves }) => FOR_FACES.includes(kind) && moves > 0)
      .map(({ name }) => name),
    moves = faceMoves(document),
    meaning = new Map<string, { means: string; side?: Side }>();
  if (!names.length)
    throw new ProblemError(
      'expressions.none',
      `“${title}” has no morph that is an expression or a mouth shape: nothing can be learned from it. Choose a character whose face moves.`,
      title,
    );
  for (const [means, { whole, left, right }] of conceptsOf(names, moves, new Set())) {
    for (const [at, side] of [
      [whole, undefined],
      [left, 'left'],
      [right, 'right'],
    ] as const)
      if (at && !meaning.has(at.name)) meaning.set(at.name, side ? { means, side } : { means });
  }
  return parseOrTell(
    ExpressionSetSchema,
    {
      schema: 1,
      id: wordsOf(title).join('-').slice(0, 60) || 'learned',
      title: title.slice(0, 80),
      entries: names.map((name) => ({ name, ...meaning.get(name), ...likeOf(moves?.get(name)) })),
    },
    { code: 'expressions.invalid', what: 'The set that was learned' },
  );
}

/** Which way places go, of length one; three figures are more than two faces agree in. */
function likeOf(moves: FaceMoves | undefined): { like?: number[] } {
  const all = moves ? [...moves.left, ...moves.right] : [],
    size = Math.hypot(...all);
  // No −0: JSON has none.
  return size < STILL ? {} : { like: all.map((x) => Math.round((x / size) * 1000) / 1000 + 0) };
}
