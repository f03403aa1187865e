import type { Document } from '@gltf-transform/core';
import { listMorphNames, wordsOf } from '../character/index.ts';
import type { ConceptId, ExpressionEntry, ExpressionSet } from '../targets/index.ts';
import { type Concepts, conceptsOf, type Have, mostAlike } from './concepts-of.ts';
import { type FaceMoves, faceMoves } from './face-features.ts';
import { byJoints } from './joint-expressions.ts';
import { flippedName, type Side, sideOf } from './sides.ts';

/** One morph in a sum; of a side only that half of it is taken. */
export interface Term {
  morph: string;
  weight: number;
  half?: Side;
}
/** How an expression is had. */
export type FoundHow =
  | 'by hand'
  | 'name'
  | 'shape'
  | 'half'
  | 'halves'
  | 'mirror'
  | 'sum'
  | 'joints'
  | 'inverse'
  | 'other';
export interface FoundExpression {
  entry: ExpressionEntry;
  how: FoundHow;
  terms: Term[];
  /** Morphs whose counterpart has to be made first. */
  mirrored: string[];
  /** Things that joints have to be turned for first. */
  turned: ConceptId[];
}

/** What moves the same places the other way. */
const OPPOSITE: Partial<Record<ConceptId, ConceptId>> = {
  brow_up: 'brow_down',
  brow_down: 'brow_up',
  gaze_up: 'gaze_down',
  gaze_down: 'gaze_up',
  gaze_left: 'gaze_right',
  gaze_right: 'gaze_left',
};

/**
 * Finds a set's expressions among a character's morphs: by name in the set's own words and those of several languages,
 * then by where which way they move the face; then made of what is there: half of a whole, two halves, the mirror image of
 * the other side, turned joints of jaw and eyes, a sum that the set names, the inverse of what moves the other way.
 * @param said morph for an entry, by hand
 */
export function findExpressions(
  document: Document,
  set: ExpressionSet,
  said: Readonly<Record<string, string>> = {},
): { found: FoundExpression[]; missing: ExpressionEntry[] } {
  const names = listMorphNames(document),
    moves = faceMoves(document),
    have = conceptsOf(names, moves, byJoints(document)),
    found: FoundExpression[] = [],
    missing: ExpressionEntry[] = [];
  for (const entry of set.entries) {
    const one = resolve(entry, names, have, moves, said[entry.name]);
    if (one) found.push({ entry, ...one });
    else missing.push(entry);
  }
  return { found, missing };
}

type Resolved = Omit<FoundExpression, 'entry'>;

function resolve(
  entry: ExpressionEntry,
  names: readonly string[],
  have: Concepts,
  moves: Map<string, FaceMoves> | null,
  said: string | undefined,
): Resolved | null {
  const plain = (morph: string, how: FoundHow): Resolved => ({
    how,
    terms: [{ morph, weight: 1 }],
    mirrored: [],
    turned: [],
  });
  if (said !== undefined && names.includes(said)) return plain(said, 'by hand');
  const other = [entry.name, ...entry.called].map(flat),
    named = names.find((name) => other.includes(flat(name)) && (!entry.side || sideOf(name) === entry.side));
  if (named) return plain(named, 'name');
  if (entry.means) {
    const one = doing(entry.means, entry.side, have);
    if (one) return one;
  }
  const alike = entry.like && moves && mostAlike(names, moves, entry.like, 0);
  if (alike) return plain(alike, 'shape');
  for (const sum of entry.else) {
    const parts = Object.entries(sum).map(([means, weight]) => ({
      weight,
      one: doing(means as ConceptId, entry.side, have),
    }));
    if (parts.every(({ one }) => one))
      return {
        how: 'sum',
        terms: parts.flatMap(
          ({ one, weight }) => one?.terms.map((term) => ({ ...term, weight: term.weight * weight })) ?? [],
        ),
        mirrored: parts.flatMap(({ one }) => one?.mirrored ?? []),
        turned: parts.flatMap(({ one }) => one?.turned ?? []),
      };
  }
  const opposite = entry.means && OPPOSITE[entry.means],
    back = opposite ? doing(opposite, entry.side, have) : null;
  return back
    ? { ...back, how: 'inverse', terms: back.terms.map((term) => ({ ...term, weight: -term.weight })) }
    : null;
}

/** What makes the face do something, on one side or both. */
function doing(means: ConceptId, side: Side | undefined, have: Concepts): Resolved | null {
  const { whole, left, right } = have.get(means) ?? {},
    plain = ({ name, how, turned }: Have): Resolved => ({
      how,
      terms: [{ morph: name, weight: 1 }],
      mirrored: [],
      turned: turned ? [turned] : [],
    });
  if (side) {
    const [own, other] = side === 'left' ? [left, right] : [right, left];
    if (own) return plain(own);
    if (whole)
      return {
        how: 'half',
        terms: [{ morph: whole.name, weight: 1, half: side }],
        mirrored: [],
        turned: whole.turned ? [whole.turned] : [],
      };
    return other
      ? { how: 'mirror', terms: [{ morph: flippedName(other.name), weight: 1 }], mirrored: [other.name], turned: [] }
      : null;
  }
  if (whole) return plain(whole);
  if (left && right)
    return {
      how: 'halves',
      terms: [left, right].map(({ name }) => ({ morph: name, weight: 1 })),
      mirrored: [],
      turned: [],
    };
  const one = left ?? right;
  return one
    ? {
        how: 'mirror',
        terms: [one.name, flippedName(one.name)].map((morph) => ({ morph, weight: 1 })),
        mirrored: [one.name],
        turned: [],
      }
    : null;
}

const flat = (name: string): string => wordsOf(name).join('');
