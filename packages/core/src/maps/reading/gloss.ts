import type { MaterialKind } from '../../character/index.ts';
import type { NamedChannel } from '../naming.ts';

/** Roughness that surfaces of a kind have in the middle; kinds that can be anything don't speak. */
const EXPECTED: Partial<Record<MaterialKind, number>> = {
  skin: 0.55,
  lips: 0.4,
  eye: 0.12,
  cornea: 0.05,
  tear: 0.05,
  cloth: 0.85,
  hair: 0.6,
  teeth: 0.25,
  gums: 0.35,
  beard: 0.6,
  knit: 0.9,
  tongue: 0.35,
  leather: 0.6,
  glass: 0.08,
};
/** How far from that a surface of its kind may be. */
const STRAYS = 0.15;
/** The most that one picture's brightness, and that all others of a set, may say. */
const BY_KIND = 4,
  BY_SET = 4,
  BY_NAME = 4;
/** A set speaks where at least so many maps do, and such a share of them the same way. */
const VOTES = 3,
  AGREEING = 0.75;
/** From here on it is decided. */
const DECIDED = 2.5;
/** What the file says counts for something. */
const AS_SAID = 1;

export interface GlossAsked {
  kind: MaterialKind;
  /** Middle of the channel that should hold roughness, 0 … 1; null where it couldn't be read. */
  middle: number | null;
  /** What its file's name says it holds. */
  named: NamedChannel | null;
}
export interface GlossFound {
  holds: 'roughness' | 'gloss' | 'unsure';
  /** Natural logarithm of how much likelier gloss is than roughness. */
  odds: number;
  why: string;
}

/**
 * Roughness or gloss, for all maps of a character together: one habit made them. Each picture's middle is held against
 * what a surface of its kind has, one way and the other; its name counts, what the file says counts a little, and so
 * does what all others say, where they agree.
 */
export function judgeGloss(asked: readonly GlossAsked[]): GlossFound[] {
  const byKind = asked.map(({ kind, middle }) => oddsByKind(kind, middle)),
    byName = asked.map(({ named }) => (named === 'gloss' ? BY_NAME : named === 'roughness' ? -BY_NAME : 0));
  const bySet = oddsOfSet(asked, byKind);
  return asked.map(({ kind, middle, named }, i) => {
    // One picture alone may just be shiny or matt: its brightness never decides against what the file says.
    const odds = clamp(byKind[i], bySet || byName[i] ? BY_KIND : DECIDED) + byName[i] + bySet - AS_SAID,
      expected = EXPECTED[kind];
    const why = [
      middle !== null && expected !== undefined
        ? `${middle.toFixed(2)} in the middle where such a surface has about ${expected.toFixed(2)}, and ${(1 - middle).toFixed(2)} the other way round`
        : '',
      byName[i] ? `its name says ${named}` : '',
      bySet ? `the maps of the character together hold ${bySet > 0 ? 'gloss' : 'roughness'} by the same measure` : '',
    ].filter(Boolean);
    // A name that its own pixels contradict is no name to go by.
    const contradicted =
      byName[i] !== 0 && Math.sign(byName[i]) !== Math.sign(byKind[i] + bySet) && Math.abs(byKind[i] + bySet) > 3;
    return {
      holds:
        contradicted || (odds > -DECIDED && odds < DECIDED && byKind[i] > 1)
          ? 'unsure'
          : odds >= DECIDED
            ? 'gloss'
            : 'roughness',
      odds,
      why: why.join('; ') || 'nothing speaks against what the file says',
    };
  });
}

/** What all maps say together, where enough of them say anything and they agree. */
function oddsOfSet(asked: readonly GlossAsked[], byKind: readonly number[]): number {
  const votes = byKind.filter((_, i) => asked[i].middle !== null && EXPECTED[asked[i].kind] !== undefined),
    total = votes.reduce((sum, odds) => sum + odds, 0),
    agreeing = votes.filter((odds) => Math.sign(odds) === Math.sign(total)).length;
  return votes.length >= VOTES && agreeing >= votes.length * AGREEING && Math.abs(total) >= BY_SET
    ? Math.sign(total) * BY_SET
    : 0;
}

function oddsByKind(kind: MaterialKind, middle: number | null): number {
  const expected = EXPECTED[kind];
  if (middle === null || expected === undefined) return 0;
  const asIs = middle - expected,
    turned = 1 - middle - expected;
  return clamp((asIs * asIs - turned * turned) / (2 * STRAYS * STRAYS), BY_KIND);
}
const clamp = (value: number, most: number): number => Math.max(-most, Math.min(most, value));
