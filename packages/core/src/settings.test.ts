import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { STEPS } from './recipe/index.ts';
import { settingFields, settingNames, settingWords, worded } from './settings.ts';

const made = {
  settings: v.object({
    much: worded(v.optional(v.pipe(v.number(), v.minValue(2), v.maxValue(12)), 6), { title: 'How much', step: 0.5 }),
    count: worded(v.optional(v.pipe(v.number(), v.integer(), v.minValue(0))), { title: 'How many' }),
    on: worded(v.optional(v.boolean(), true), { title: 'On' }),
    way: worded(v.optional(v.picklist(['a', 'b']), 'b'), { title: 'Way', words: { a: 'The one' } }),
    names: worded(v.optional(v.record(v.string(), v.string()), {}), { title: 'Names', names: 'joint' }),
    quiet: v.optional(v.boolean(), false),
  }),
};

describe('settings', () => {
  it('say by themselves what a page needs to offer them', () => {
    expect(settingFields(made)).toEqual([
      { name: 'much', title: 'How much', kind: 'number', initial: 6, min: 2, max: 12, step: 0.5, whole: false },
      { name: 'count', title: 'How many', kind: 'number', min: 0, max: undefined, step: undefined, whole: true },
      { name: 'on', title: 'On', kind: 'switch', initial: true },
      {
        name: 'way',
        title: 'Way',
        kind: 'choice',
        initial: 'b',
        choices: [
          { value: 'a', label: 'The one' },
          { value: 'b', label: 'b' },
        ],
      },
    ]);
    expect(settingNames(made)).toEqual(['much', 'count', 'on', 'way', 'names', 'quiet']);
    expect([settingWords(made, 'names').names, settingWords(made, 'quiet'), settingWords(made, 'gone')]).toEqual([
      'joint',
      {},
      {},
    ]);
  });
  it('are taken as they were without words', () => {
    expect(v.parse(made.settings, {})).toEqual({ much: 6, on: true, way: 'b', names: {}, quiet: false });
    expect(v.safeParse(made.settings, { much: 13 }).success).toBe(false);
  });
  it.each(STEPS.map((step) => [step.id, step] as const))('of %s: what is offered is what the step takes', (_, step) => {
    const taken = v.parse(step.settings, {}) as Record<string, unknown>;
    for (const field of settingFields(step)) {
      expect([field.name, taken[field.name]]).toEqual([field.name, field.initial]);
      const takes = (value: unknown) => v.safeParse(step.settings, { [field.name]: value }).success;
      if (field.kind === 'number') {
        if (field.min !== undefined) expect([takes(field.min), takes(field.min - 1)]).toEqual([true, false]);
        if (field.max !== undefined) expect([takes(field.max), takes(field.max + 1)]).toEqual([true, false]);
        expect(takes((field.min ?? 1) + 0.5)).toBe(!field.whole);
      } else if (field.kind === 'choice') {
        expect(field.choices.filter(({ value }) => !takes(value))).toEqual([]);
        // Every choice is put in words.
        expect(field.choices.filter(({ value, label }) => value === label)).toEqual([]);
      }
    }
  });
});
