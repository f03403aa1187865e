import { BASE, flippedName, type StepSettings } from '@dimetra/core';

/** What the Morphs station's steps were told, as a recipe keeps it. */
export interface MorphSettings {
  fold: StepSettings['morphs.fold'];
  drop: StepSettings['morphs.drop'];
  mirror: StepSettings['morphs.mirror'];
  split: StepSettings['morphs.split'];
  carry: StepSettings['morphs.carry'];
}

/** A few words for each morph of which something is decided, in the order in which it is done. */
export function decidedOf({ fold, drop, mirror, split, carry }: MorphSettings): Map<string, string[]> {
  const out = new Map<string, string[]>(),
    say = (name: string, words: string) => out.set(name, [...(out.get(name) ?? []), words]);
  for (const name of carry.names ?? []) say(name, 'carried');
  if (mirror.names && mirror.names !== BASE)
    for (const name of mirror.names) say(name, mirror.from === 'right' ? 'right onto left' : 'left onto right');
  for (const name of mirror.flip ?? []) say(name, `makes ${flippedName(name)}`);
  for (const name of split.names ?? []) say(name, 'split');
  for (const name of split.join ?? []) say(name, 'joined');
  for (const mix of fold.mixes ?? []) for (const name of Object.keys(mix.weights)) say(name, `in ${mix.name}`);
  for (const [name, weight] of Object.entries(fold.fold ?? {}))
    if (weight) say(name, `folded ${String(weight).replace('-', '−')}`);
  for (const name of drop.names ?? []) say(name, 'dropped');
  for (const name of drop.keep ?? []) say(name, 'kept');
  return out;
}

/** A list with names put in or, where all of them are there already, taken out; undefined where nothing is left. */
export function toggled(list: readonly string[] | undefined, names: readonly string[]): string[] | undefined {
  const now = list ?? [],
    all = names.every((name) => now.includes(name)),
    next = all ? now.filter((name) => !names.includes(name)) : [...now, ...names.filter((name) => !now.includes(name))];
  return next.length ? next : undefined;
}
