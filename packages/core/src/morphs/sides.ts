export type Side = 'left' | 'right';
export const otherSide = (side: Side): Side => (side === 'left' ? 'right' : 'left');

/** How a side is written in a name: as a word, as a letter between signs, or as a capital at the end. */
const WRITTEN: readonly RegExp[] = [
  /(?<=^|[^\p{L}]|\p{Ll})(Left|Right)(?=$|[^\p{Ll}])/u,
  /(?<=^|[^\p{L}])(left|right)(?=$|[^\p{Ll}])/u,
  /(?<=^|[^\p{L}])(LEFT|RIGHT)(?=$|[^\p{L}])/u,
  /(?<=^|[^\p{L}\p{N}])([lLrR])(?=$|[^\p{L}\p{N}])/u,
  /(?<=[\p{Ll}\p{N}])([LR])(?=$|[^\p{L}])/u,
];
const SWAPPED: Readonly<Record<string, string>> = {
  Left: 'Right',
  Right: 'Left',
  left: 'right',
  right: 'left',
  LEFT: 'RIGHT',
  RIGHT: 'LEFT',
  l: 'r',
  r: 'l',
  L: 'R',
  R: 'L',
};

function found(name: string): { word: string; at: number } | null {
  for (const pattern of WRITTEN) {
    const match = pattern.exec(name);
    if (match) return { word: match[1], at: match.index };
  }
  return null;
}

/** The side that a name speaks of: `blink_l`, `browUpLeft`, `L_smile`; null for none. */
export function sideOf(name: string): Side | null {
  const word = found(name)?.word;
  return word ? (word[0].toLowerCase() === 'l' ? 'left' : 'right') : null;
}

/** The name with its side the other one; the same where it has none. */
export function flippedName(name: string): string {
  const said = found(name);
  return said ? name.slice(0, said.at) + SWAPPED[said.word] + name.slice(said.at + said.word.length) : name;
}

/** The name without its side and the signs around it; the same where it has none. */
export function wholeName(name: string): string {
  const said = found(name);
  if (!said) return name;
  const before = name.slice(0, said.at),
    after = name.slice(said.at + said.word.length);
  return after === ''
    ? before.replace(/[^A-Za-z0-9]+$/, '') || name
    : before === ''
      ? after.replace(/^[^A-Za-z0-9]+/, '') || name
      : before + after.replace(/^[^A-Za-z0-9]+/, '');
}

/** How a character names one side of something, learned from the first pair of names it has; `_l` where it has none. */
export function sideNaming(names: readonly string[]): (whole: string, side: Side) => string {
  const all = new Set(names);
  for (const name of names) {
    const said = found(name);
    if (!said || !all.has(flippedName(name)) || said.at + said.word.length !== name.length) continue;
    const whole = wholeName(name),
      sign = name.slice(whole.length, said.at);
    return (of, side) => of + sign + (side === (sideOf(name) as Side) ? said.word : SWAPPED[said.word]);
  }
  return (of, side) => `${of}_${side[0]}`;
}
