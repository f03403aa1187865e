import type { Document } from '@gltf-transform/core';
import { listMorphNames, wordsOf } from '../character/index.ts';
import { type ConceptId, conceptOf, CONCEPTS, FEATURES } from '../targets/index.ts';
import type { ExpressionEntry, ExpressionSet } from '../targets/index.ts';
import { type FaceMoves, faceMoves } from './face-features.ts';
import { byJoints, jointMorph } from './joint-expressions.ts';
import { flippedName, type Side, sideOf } from './sides.ts';

/** One morph in a sum; of a side only that half of it is taken. */
export interface Term {
  morph: string;
  weight: number;
  half?: Side;
}
/** How an expression is had. */
export type FoundHow = 'by hand' | 'name' | 'shape' | 'half' | 'halves' | 'mirror' | 'sum' | 'joints' | 'inverse';
export interface FoundExpression {
  entry: ExpressionEntry;
  how: FoundHow;
  terms: Term[];
  /** Morphs whose counterpart has to be made first. */
  mirrored: string[];
  /** Things that joints have to be turned for first. */
  turned: ConceptId[];
}

/** How nearly a morph has to move as an expression says, as the cosine between both; of those within a little of the best the strongest is it, the others are less of the same. */
const LIKE = 0.86,
  SAME = 0.04;
/** A face that moves less than this does nothing, metres. */
const STILL = 3e-4;

type Have = { name: string; how: 'name' | 'shape' | 'joints'; turned?: ConceptId };
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
    have = conceptsOf(names, faceMoves(document), byJoints(document)),
    found: FoundExpression[] = [],
    missing: ExpressionEntry[] = [];
  for (const entry of set.entries) {
    const one = resolve(entry, names, have, said[entry.name]);
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

type Concepts = Map<ConceptId, { whole?: Have; left?: Have; right?: Have }>;

/** Which morph does what, by name before shape; of several with a name the shortest, which says nothing else beside it. */
function conceptsOf(
  names: readonly string[],
  moves: Map<string, FaceMoves> | null,
  turning: ReadonlySet<ConceptId>,
): Concepts {
  const out: Concepts = new Map(),
    ids = Object.keys(CONCEPTS) as ConceptId[],
    named = new Set<string>();
  for (const id of ids) {
    const row: { whole?: Have; left?: Have; right?: Have } = {};
    // Where a gaze goes is no side of the face.
    const sided = !id.startsWith('gaze_');
    for (const name of [...names].sort((a, b) => wordsOf(a).length - wordsOf(b).length || a.length - b.length)) {
      const words = wordsOf(name);
      if (!isCalled(id, words)) continue;
      if (isSomethingElse(id, words)) continue;
      named.add(name);
      const at = sided ? (sideOf(name) ?? 'whole') : 'whole';
      row[at] ??= { name, how: 'name' };
    }
    out.set(id, row);
  }
  if (moves) byShape(out, ids, names, named, moves);
  for (const id of turning) {
    const row = out.get(id);
    if (row && !row.whole && !row.left && !row.right) row.whole = { name: jointMorph(id), how: 'joints', turned: id };
  }
  return out;
}

/** What no name says, by what moves. */
function byShape(
  out: Concepts,
  ids: readonly ConceptId[],
  names: readonly string[],
  named: ReadonlySet<string>,
  moves: Map<string, FaceMoves>,
): void {
  for (const id of ids) {
    const { like } = conceptOf(id),
      row = out.get(id);
    if (!like || !row || row.whole || row.left || row.right) continue;
    for (const at of ['whole', 'left', 'right'] as const) {
      const best = mostAlike(
        names.filter((name) => !named.has(name)),
        moves,
        wanted(like, at),
      );
      if (best) row[at] = { name: best, how: 'shape' };
    }
  }
}

const isCalled = (id: ConceptId, words: readonly string[]): boolean => {
  const { called, alone } = conceptOf(id);
  return (
    called.some((all) => all.every((pattern) => words.some((word) => pattern.test(word)))) ||
    (words.length === 1 && alone !== undefined && alone.test(words[0]))
  );
};

/** `jaw_half` is no open jaw's name, and a brow that goes up says nothing of a cheek: words of another direction or part. */
function isSomethingElse(id: ConceptId, words: readonly string[]): boolean {
  if (id === 'blink') return words.some((word) => /^(cheek|brow|mouth)$/.test(word));
  if (id === 'frown') return words.some((word) => /^(brow|brows|eyebrow)$/.test(word));
  if (id === 'brow_up' || id === 'brow_down') return words.some((word) => /^(inner|outer|innen|aussen)$/.test(word));
  return id.startsWith('say_') && words.some((word) => /^(smile|brow|eye|nose|jaw|cheek|lips)$/.test(word));
}

/** An expression's movement over both sides, as {@link FaceMoves} behind each other. */
function wanted(like: Readonly<Partial<Record<string, number>>>, at: 'whole' | Side): Float64Array {
  const out = new Float64Array(FEATURES.length * 2);
  FEATURES.forEach((feature, f) => {
    if (at !== 'right') out[f] = like[feature] ?? 0;
    if (at !== 'left') out[FEATURES.length + f] = like[feature] ?? 0;
  });
  return out;
}

function mostAlike(names: readonly string[], moves: Map<string, FaceMoves>, want: Float64Array): string | null {
  const scored = names
    .flatMap((name) => {
      const move = moves.get(name),
        vector = move ? [...move.left, ...move.right] : [],
        size = Math.hypot(...vector);
      if (size < STILL) return [];
      const dot = vector.reduce((sum, x, i) => sum + x * want[i], 0);
      return [{ name, size, like: dot / size / Math.hypot(...want) }];
    })
    .sort((a, b) => b.like - a.like);
  if (!scored.length || scored[0].like < LIKE) return null;
  return scored.filter(({ like }) => like >= Math.max(LIKE, scored[0].like - SAME)).sort((a, b) => b.size - a.size)[0]
    .name;
}

const flat = (name: string): string => wordsOf(name).join('');
