import type { Check } from './judgement.ts';

/** Answers to the same rules over several models as one answer each: the worst, with the name of the model it is about. */
export function foldedChecks(all: readonly { checks: readonly Check[]; of: string }[]): Check[] {
  const out = new Map<string, { check: Check; of: string; broken: string[] }>();
  for (const { checks, of } of all)
    for (const check of checks) {
      const known = out.get(check.rule);
      if (!known) out.set(check.rule, { check, of, broken: check.ok ? [] : [of] });
      else {
        if (!check.ok) known.broken.push(of);
        if (isWorse(check, known.check)) Object.assign(known, { check, of });
      }
    }
  return [...out.values()].map(({ check, of, broken }) =>
    check.ok || !of
      ? check
      : {
          ...check,
          message: `${of}: ${check.message}${broken.length > 1 ? ` ${broken.length} of ${all.length} models break this rule.` : ''}`,
        },
  );
}

function isWorse(a: Check, b: Check): boolean {
  if (a.ok !== b.ok) return !a.ok;
  return typeof a.measured === 'number' && typeof b.measured === 'number' && a.measured > b.measured;
}
