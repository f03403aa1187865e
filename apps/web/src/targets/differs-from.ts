import type { Target } from '@dimetra/core';

const at = (target: object, path: string): unknown =>
  path.split('.').reduce<unknown>((value, key) => (value as Record<string, unknown> | undefined)?.[key], target);

/** What another target has in a field where this one has something else, in words; undefined where they agree. */
export function differsFrom(target: Target, other: Target, field: string): string | undefined {
  const [own, theirs] = [at(target, field), at(other, field)];
  if (JSON.stringify(own) === JSON.stringify(theirs)) return undefined;
  if (theirs === undefined || theirs === null || theirs === false) return 'nothing asked';
  if (theirs === true) return 'asked for';
  if (typeof theirs === 'number') return theirs.toLocaleString('en-GB');
  if (typeof theirs === 'string') return `“${theirs}”`;
  return Array.isArray(theirs) && theirs.every((one) => typeof one === 'string') ? theirs.join(', ') : 'something else';
}
