import { wordsOf } from '../../character/index.ts';
import { heightOf } from '../../geometry/index.ts';
import type { Person } from '../mix/people.ts';
import { morphRows } from '../morph-rows.ts';
import { movementOf } from '../standing.ts';

/** Words of six languages, without accents, that a morph of height, of a heavy or of a slight build is called by. */
const TALL = /^(tall|height|taille|groesse|grosse|altura|altezza|short|klein|petit|bajo|basso|baixo|stature|statur)$/,
  HEAVY =
    /^(heavy|schwer|lourd|pesado|pesante|fat|dick|gros|gordo|grasso|weight|gewicht|poids|peso|corpulence|stocky|build)$/,
  SLIGHT = /^(thin|slim|slight|skinny|duenn|dunn|mince|delgado|magro)$/;
/** A morph that changes the height by less says nothing of it, share of the height. */
const RAISES = 0.01;

export interface BuildMorphs {
  /** What makes taller or shorter, with the share of the height that it adds in full. */
  tall: { name: string; adds: number } | null;
  heavy: string | null;
  slight: string | null;
}

/** The character's own morphs of height and build: by their names, and height by what they do to it. */
export function findBuild(own: Person): BuildMorphs {
  // A heavy brow is nobody's build.
  const names = morphRows(own.document).flatMap(({ name, kind }) => (kind === 'build' ? [name] : [])),
    height = heightOf(own.rest),
    called = (words: RegExp) => names.filter((name) => wordsOf(name).some((word) => words.test(word))),
    adds = (name: string): number => {
      const moved = movementOf(own, name);
      return moved ? heightOf(own.rest.map((value, k) => value + moved[k])) / height - 1 : 0;
    },
    tall = called(TALL)
      .map((name) => ({ name, adds: adds(name) }))
      .filter((entry) => Math.abs(entry.adds) >= RAISES)
      .sort((a, b) => Math.abs(b.adds) - Math.abs(a.adds));
  const other = (words: RegExp) => called(words).find((name) => name !== tall[0]?.name) ?? null;
  return { tall: tall[0] ?? null, heavy: other(HEAVY), slight: other(SLIGHT) };
}
