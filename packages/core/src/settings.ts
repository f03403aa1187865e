import * as v from 'valibot';

/** What people see of a setting. Kept with its schema, so that page, reference and checks share one. */
export interface SettingWords {
  title: string;
  /** Words for the values of a choice. */
  words?: Readonly<Record<string, string>>;
  /** How far one press goes. */
  step?: number;
  /** What of the character its keys, or the words of its list, name; each must be there. */
  names?: 'material' | 'part' | 'joint' | 'morph';
}
/** Puts words to a setting's schema; what it takes and what it is by default stay as they are. */
export const worded = <const S extends v.GenericSchema>(schema: S, words: SettingWords) =>
  v.pipe(schema, v.metadata({ ...words }));

/** A setting that a page can offer by itself: a number, a switch or a choice. */
export type SettingField = { name: string; title: string } & (
  | { kind: 'number'; initial?: number; min?: number; max?: number; step?: number; whole: boolean }
  | { kind: 'switch'; initial: boolean }
  | { kind: 'choice'; initial?: string; choices: { value: string; label: string }[] }
);

interface Introspected {
  type: string;
  wrapped?: Introspected;
  default?: unknown;
  options?: readonly string[];
  pipe?: readonly { type: string; requirement?: number }[];
}
type HasSettings = { settings: v.GenericSchema };
const entriesOf = ({ settings }: HasSettings): Record<string, v.GenericSchema> =>
  (settings as unknown as { entries?: Record<string, v.GenericSchema> }).entries ?? {};

/** What was put to a setting in words; only what is titled is offered. */
export const settingWords = (step: HasSettings, name: string): Partial<SettingWords> => {
  const schema = entriesOf(step)[name];
  return schema ? (v.getMetadata(schema as never) as Partial<SettingWords>) : {};
};
export const settingNames = (step: HasSettings): string[] => Object.keys(entriesOf(step));

/** The settings of a step that are a number, a switch or a choice and have a title, in the order of its schema. */
export function settingFields(step: HasSettings): SettingField[] {
  return Object.entries(entriesOf(step)).flatMap(([name, schema]): SettingField[] => {
    const { title, words = {}, step: press } = settingWords(step, name),
      outer = schema as unknown as Introspected,
      inner = outer.wrapped ?? outer,
      initial = outer.default;
    if (!title) return [];
    if (inner.type === 'boolean') return [{ name, title, kind: 'switch', initial: initial === true }];
    if (inner.type === 'picklist')
      return [
        {
          name,
          title,
          kind: 'choice',
          ...(typeof initial === 'string' ? { initial } : {}),
          choices: (inner.options ?? []).map((value) => ({ value, label: words[value] ?? value })),
        },
      ];
    if (inner.type !== 'number') return [];
    const bound = (type: string) => inner.pipe?.find((action) => action.type === type)?.requirement;
    return [
      {
        name,
        title,
        kind: 'number',
        ...(typeof initial === 'number' ? { initial } : {}),
        min: bound('min_value'),
        max: bound('max_value'),
        step: press,
        whole: inner.pipe?.some((action) => action.type === 'integer') ?? false,
      },
    ];
  });
}
