import { wordsOf } from '../character/index.ts';
import { type ConceptId, conceptOf, CONCEPTS, FEATURES } from '../targets/index.ts';
import type { FaceMoves } from './face-features.ts';
import { jointMorph } from './joint-expressions.ts';
import { type Side, sideOf } from './sides.ts';

/** How nearly a morph has to move as an expression says, as the cosine between both; of those within a little of the best the strongest is it, the others are less of the same. */
const LIKE = 0.86,
  SAME = 0.04;
/** A face that moves less than this does nothing, metres. */
const STILL = 3e-4;

/** A morph that does something, and how that was told. */
export type Have = { name: string; how: 'name' | 'shape' | 'joints'; turned?: ConceptId };
/** What makes a face do what, on which side. */
export type Concepts = Map<ConceptId, { whole?: Have; left?: Have; right?: Have }>;

/** Which morph does what, by name before shape; of several with a name the shortest, which says nothing else beside it. */
export function conceptsOf(
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

/** The morph that moves a face most as is wanted, by side behind each other; null where none does. @param same of those as like the strongest is taken */
export function mostAlike(
  names: readonly string[],
  moves: Map<string, FaceMoves>,
  want: ArrayLike<number>,
  same = SAME,
): string | null {
  const scored = names
    .flatMap((name) => {
      const move = moves.get(name),
        vector = move ? [...move.left, ...move.right] : [],
        size = Math.hypot(...vector);
      if (size < STILL) return [];
      const dot = vector.reduce((sum, x, i) => sum + x * want[i], 0);
      return [{ name, size, like: dot / size / Math.hypot(...Array.from(want)) }];
    })
    .sort((a, b) => b.like - a.like);
  if (!scored.length || scored[0].like < LIKE) return null;
  return scored.filter(({ like }) => like >= Math.max(LIKE, scored[0].like - same)).sort((a, b) => b.size - a.size)[0]
    .name;
}
