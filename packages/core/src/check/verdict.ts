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
