import type { Document } from '@gltf-transform/core';
import { type CharacterSummary, firstFew } from '../inspect/index.ts';

export { firstFew };
import type { Parity } from '../parity/index.ts';
import type { Station } from '../step.ts';
import type { Target } from '../targets/index.ts';

export interface Check {
  rule: string;
  title: string;
  ok: boolean;
  /** A broken rule that stops delivery. */
  blocking: boolean;
  measured: number | string;
  limit: number | string;
  unit: string;
  message: string;
  /** Station that mends it. */
  station: Station;
}

export interface Subject {
  document: Document;
  summary: CharacterSummary;
  target: Target;
  parity?: Parity;
  packageBytes?: number;
}

/** A rule's answer; where it has no sentence of its own, one is made of measure and limit. */
export type Judgement = Omit<Check, 'message'> & { message?: string };

/** Null where the rule has nothing to say about a subject. */
export type Rule = (subject: Subject) => Judgement | null;

/** What a rule is called and where it is mended; it stops delivery unless it says otherwise. */
export interface Named {
  rule: string;
  title: string;
  station: Station;
  unit?: string;
  blocking?: boolean;
}

const opened = ({ rule, title, station, unit = '', blocking = true }: Named) => ({
  rule,
  title,
  station,
  unit,
  blocking,
});

/** A rule that a number is no larger than the target allows; none where either isn't known. */
export const atMost =
  (
    named: Named,
    measured: (subject: Subject) => number | undefined,
    limit: (subject: Subject) => number | undefined,
  ): Rule =>
  (subject) => {
    const most = limit(subject),
      value = measured(subject);
    if (most === undefined || value === undefined) return null;
    return judged(named, value, most, value <= most);
  };

/** An answer with measure and limit. */
export const judged = (
  named: Named,
  measured: Judgement['measured'],
  limit: Judgement['limit'],
  ok: boolean,
): Judgement => ({ ...opened(named), measured, limit, ok });

/** An answer that counts what should not be there; `message` tells of it where there is some. */
export function noneOf(
  named: Named,
  found: readonly string[],
  message?: (found: readonly string[]) => string,
): Judgement {
  const counted = judged(named, found.length, 0, found.length === 0);
  return message ? { ...counted, message: found.length ? message(found) : undefined } : counted;
}

/** A rule's answer with its sentence. */
export function asCheck(found: Judgement): Check {
  const unit = found.unit ? ` ${found.unit}` : '';
  const said =
    found.message ??
    `${found.title}: ${found.measured}${unit}, ${found.ok ? 'allowed' : 'the target allows'} ${found.limit}${unit}.`;
  return { ...found, message: found.ok || found.blocking ? said : said.replace(/\.$/, '; the target only notes it.') };
}

export const blockingChecks = (checks: readonly Check[]): Check[] =>
  checks.filter((check) => !check.ok && check.blocking);
