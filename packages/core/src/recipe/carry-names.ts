import type { CharacterSummary, NameKind, SourceChanges } from '../inspect/index.ts';
import { settingWords } from '../settings.ts';
import type { Recipe } from './recipe.ts';
import { type KnownNames, namesKnown } from './shared.ts';
import { stepById } from './steps.ts';

/** What a new version of a source has by name: its own, and what steps made of the one before; what went with that is not known any more. */
export function namesAfter(
  changes: SourceChanges,
  now: CharacterSummary,
  result: CharacterSummary | null | undefined,
): KnownNames {
  const own = namesKnown(now),
    all = namesKnown(now, result),
    left = (kind: NameKind) => {
      const went = new Set([...changes[kind].gone, ...changes[kind].renamed.map(({ from }) => from)]);
      return all[kind].filter((name) => !went.has(name) || own[kind].includes(name));
    };
  return { part: left('part'), material: left('material'), joint: left('joint'), morph: left('morph') };
}

/** A name in a recipe that goes by another now. */
export interface Carried {
  step: string;
  kind: NameKind;
  from: string;
  to: string;
}

/**
 * A recipe for a new version of its source: what it says of parts, materials, joints and morphs that only changed their
 * names goes with them. What it says of a name that stays, stays. @returns the same recipe where nothing is carried
 */
export function carryNames(recipe: Recipe, changes: SourceChanges): { recipe: Recipe; carried: Carried[] } {
  const carried: Carried[] = [],
    renamed = (kind: NameKind) => new Map(changes[kind].renamed.map(({ from, to }) => [from, to]));
  const steps = recipe.steps.map((entry) => {
    const step = stepById(entry.id);
    if (!step) return entry;
    const settings = Object.fromEntries(
      Object.entries(entry.settings).map(([setting, value]) => {
        const kind = settingWords(step, setting).names;
        if (!kind || !value || typeof value !== 'object') return [setting, value];
        const names = renamed(kind),
          goes = (name: string, taken: (other: string) => boolean): string => {
            const to = names.get(name);
            if (to === undefined || taken(to)) return name;
            carried.push({ step: entry.id, kind, from: name, to });
            return to;
          };
        if (Array.isArray(value))
          return [setting, value.map((name) => goes(String(name), (other) => value.includes(other)))];
        return [
          setting,
          Object.fromEntries(
            Object.entries(value).map(([name, inner]) => [goes(name, (other) => other in value), inner]),
          ),
        ];
      }),
    );
    return { ...entry, settings };
  });
  return carried.length ? { recipe: { ...recipe, steps }, carried } : { recipe, carried };
}
