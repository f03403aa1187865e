import type { Document } from '@gltf-transform/core';
import { listMorphNames, morphNamesOf, wordsOf } from '../character/index.ts';
import { type MorphEntry, rewriteMorphs } from './rewrite.ts';

export interface MorphNaming {
  /** Text with `{name}` in it. */
  pattern?: string;
  /** How words of a name are joined. */
  words?: 'keep' | 'camel' | 'snake';
  order?: 'keep' | 'name';
}

const joined = (name: string, words: NonNullable<MorphNaming['words']>): string => {
  const list = wordsOf(name);
  // Other scripts have no words of this sort: nothing of such a name may be lost.
  if (words === 'keep' || !list.length || /[^\p{Script=Latin}\p{Script=Common}\p{Script=Inherited}]/u.test(name))
    return name;
  return words === 'snake'
    ? list.join('_')
    : list.map((word, i) => (i ? word[0].toUpperCase() + word.slice(1) : word)).join('');
};

/** What every morph will be called; two that would be called alike get numbers. */
export function morphNamesAfter(
  names: readonly string[],
  { pattern = '{name}', words = 'keep' }: MorphNaming,
): Map<string, string> {
  const taken = new Set<string>(),
    out = new Map<string, string>();
  for (const name of names) {
    const wanted = pattern.replaceAll('{name}', joined(name, words));
    let free = wanted;
    for (let n = 2; taken.has(free); n++) free = `${wanted}_${n}`;
    taken.add(free);
    out.set(name, free);
  }
  return out;
}

/** Gives all morphs their names and order; clips, defaults and shapes go with them. @returns how many are called otherwise now */
export function nameMorphs(document: Document, naming: MorphNaming): number {
  const called = morphNamesAfter(listMorphNames(document), naming);
  for (const mesh of document.getRoot().listMeshes()) {
    const names = morphNamesOf(mesh);
    if (!names.length) continue;
    const entries = names.map(
      (name, i): MorphEntry => ({ name: called.get(name) ?? name, follows: i, target: (_, old) => old[i] ?? null }),
    );
    if (naming.order === 'name') entries.sort((a, b) => (a.name < b.name ? -1 : a.name > b.name ? 1 : 0));
    rewriteMorphs(document, mesh, entries);
  }
  return [...called].filter(([before, after]) => before !== after).length;
}
