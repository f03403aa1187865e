import { settingWords } from '../settings.ts';
import type { Recipe } from './recipe.ts';
import { stable } from './run.ts';
import { stepById, STEPS } from './steps.ts';

/** One setting that two recipes have otherwise; of a setting by name (a material's, a joint's …) one entry. */
export interface Difference {
  step: string;
  /** Null: whether the step is switched on. */
  setting: string | null;
  /** The name within the setting that it is about. */
  key?: string;
  /** Undefined where that recipe says nothing of it. */
  from: unknown;
  to: unknown;
}

type Entry = Recipe['steps'][number];
const entryOf = (recipe: Recipe, id: string): Entry =>
  recipe.steps.find((step) => step.id === id) ?? { id, enabled: true, settings: {} };
const isRecord = (value: unknown): value is Record<string, unknown> =>
  typeof value === 'object' && value !== null && !Array.isArray(value);
const same = (a: unknown, b: unknown): boolean => stable({ value: a }) === stable({ value: b });
const union = (a: object, b: object): string[] => [...new Set([...Object.keys(a), ...Object.keys(b)])];

/** What `to` says otherwise than `from`, in the order in which steps run; mixes that are only kept for dialling are no part of it. */
export function differences(from: Recipe, to: Recipe): Difference[] {
  return STEPS.flatMap(({ id }) => {
    const a = entryOf(from, id),
      b = entryOf(to, id),
      out: Difference[] = [];
    if (a.enabled !== b.enabled) out.push({ step: id, setting: null, from: a.enabled, to: b.enabled });
    for (const setting of union(a.settings, b.settings).sort()) {
      const one = a.settings[setting],
        other = b.settings[setting];
      if (same(one, other)) continue;
      if ((isRecord(one) || one === undefined) && (isRecord(other) || other === undefined)) {
        for (const key of union(one ?? {}, other ?? {}).sort())
          if (!same(one?.[key], other?.[key])) out.push({ step: id, setting, key, from: one?.[key], to: other?.[key] });
      } else out.push({ step: id, setting, from: one, to: other });
    }
    return out;
  });
}

/** A recipe with differences put in; steps stand in the order in which they run. */
export function withDifferences(recipe: Recipe, changes: readonly Difference[]): Recipe {
  const entries = new Map(STEPS.map(({ id }) => [id, structuredClone(entryOf(recipe, id))]));
  for (const { step, setting, key, to } of changes) {
    const entry = entries.get(step);
    if (!entry) continue;
    if (setting === null) entry.enabled = to === true;
    else if (key === undefined) put(entry.settings, setting, to);
    else {
      const before = entry.settings[setting],
        inner = isRecord(before) ? { ...before } : {};
      put(inner, key, to);
      put(entry.settings, setting, Object.keys(inner).length ? inner : undefined);
    }
  }
  return { ...recipe, steps: [...entries.values()] };
}

function put(record: Record<string, unknown>, key: string, value: unknown): void {
  if (value === undefined) delete record[key];
  else record[key] = value;
}

const said = (value: unknown): string => {
  if (value === undefined) return 'as by itself';
  if (typeof value === 'boolean') return value ? 'yes' : 'no';
  if (typeof value === 'string' || typeof value === 'number') return String(value);
  const text = JSON.stringify(value);
  return text.length > 60 ? `${text.slice(0, 57)} …` : text;
};

/** A difference in words: where, and from what to what. */
export function differenceWords({ step: id, setting, key, from, to }: Difference): { where: string; what: string } {
  const step = stepById(id),
    where = step?.title ?? id;
  if (setting === null) return { where, what: to ? 'switched on' : 'switched off' };
  const { title = setting, words = {} } = step ? settingWords(step, setting) : {},
    word = (value: unknown) => (typeof value === 'string' ? (words[value] ?? said(value)) : said(value)),
    name = key === undefined ? title : `${title}, ${key}`;
  return { where, what: from === undefined ? `${name}: ${word(to)}` : `${name}: ${word(from)} → ${word(to)}` };
}
