import type { Check } from './judgement.ts';

/** What all rules together say, in one place: every page, the report and the exit code speak of this. */
export interface Verdict {
  /** `blocks`: a broken rule stops delivery; `noted`: only such as the target merely notes are broken; `holds`: all hold. */
  state: 'holds' | 'noted' | 'blocks';
  rules: number;
  holding: number;
  noted: number;
  blocking: number;
}

export function verdictOf(checks: readonly Pick<Check, 'ok' | 'blocking'>[]): Verdict {
  const broken = checks.filter((check) => !check.ok),
    blocking = broken.filter((check) => check.blocking).length,
    noted = broken.length - blocking;
  return {
    state: blocking ? 'blocks' : noted ? 'noted' : 'holds',
    rules: checks.length,
    holding: checks.length - broken.length,
    noted,
    blocking,
  };
}

/** The verdict as a sentence. */
export function verdictSentence({ state, rules, holding, noted, blocking }: Verdict): string {
  if (state === 'holds') return `All ${rules} rules hold.`;
  const parts = [
    blocking && `${blocking} ${blocking === 1 ? 'blocks' : 'block'} delivery`,
    noted && `${noted} ${noted === 1 ? 'is' : 'are'} noted`,
  ].filter(Boolean);
  return `${holding} of ${rules} rules hold; ${parts.join(', ')}.`;
}

/** The rule that a result is nearest to breaking, or breaks most. */
export interface Worst {
  rule: string;
  title: string;
  measured: number | string;
  limit: number | string;
  unit: string;
  /** What was measured over what is allowed; null where that is no number. */
  share: number | null;
}

/** What stands worst: a rule that blocks, else one that is noted, else the number that comes nearest to its limit; null without any. */
export function worstOf(
  checks: readonly Pick<Check, 'ok' | 'blocking' | 'rule' | 'title' | 'measured' | 'limit' | 'unit'>[],
): Worst | null {
  const rank = ({ ok, blocking }: (typeof checks)[number]) => (ok ? 2 : blocking ? 0 : 1),
    rows = checks
      .map((check) => ({ check, share: shareOf(check.measured, check.limit) }))
      .sort((a, b) => rank(a.check) - rank(b.check) || (b.share ?? -1) - (a.share ?? -1)),
    [first] = rows;
  if (!first || (first.check.ok && first.share === null)) return null;
  const { rule, title, measured, limit, unit } = first.check;
  return { rule, title, measured, limit, unit, share: first.share };
}

/** Rules of the least there may be, a height say, and such as ask for words have no share. */
const shareOf = (measured: unknown, limit: unknown): number | null =>
  typeof measured === 'number' && typeof limit === 'number' && limit > 0 ? measured / limit : null;
