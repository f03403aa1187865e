/** What all names of a body in pieces share: `SGN_Head_01_geo` → prefix `SGN_`, suffix `_geo`. */
export interface NamePattern {
  prefix: string;
  suffix: string;
  pieces: number;
}

/** Fewer pieces than this are just parts. */
const LEAST = 8;

/** Finds the prefix and suffix that nearly all names share, cut at separators; null where there are none. */
export function namePattern(names: readonly string[]): NamePattern | null {
  if (names.length < LEAST) return null;
  const prefix = shared(names, (name) => name, /^.*[^A-Za-z0-9]/);
  const suffix = [...shared(names, (name) => [...name].reverse().join(''), /^.*[^A-Za-z0-9]/)].reverse().join('');
  return prefix.length > 1 || suffix.length > 1
    ? { prefix: prefix.length > 1 ? prefix : '', suffix: suffix.length > 1 ? suffix : '', pieces: names.length }
    : null;
}

function shared(names: readonly string[], turn: (name: string) => string, whole: RegExp): string {
  const turned = names.map(turn);
  let length = 0;
  while (length < turned[0].length && turned.every((name) => name[length] === turned[0][length])) length++;
  return whole.exec(turned[0].slice(0, length))?.[0] ?? '';
}
