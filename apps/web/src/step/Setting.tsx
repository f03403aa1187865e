import { NativeSelect, NumberInput, Switch } from '@mantine/core';
import { type SettingField, settingFields, stepById, type StepId } from '@dimetra/core';
import { useSettings } from '../store/use-settings.ts';

/** The settings of a step that can be offered by themselves. */
export const fieldsOf = (step: StepId): SettingField[] => {
  const definition = stepById(step);
  return definition ? settingFields(definition) : [];
};

/** One setting of a step: its words, range and what it is by itself come from the step's schema. */
export function Setting({ step, name, instead }: { step: StepId; name: string; instead?: number }) {
  const field = fieldsOf(step).find((entry) => entry.name === name),
    [settings, set] = useSettings(step) as unknown as [
      Readonly<Record<string, unknown>>,
      (name: string, value: unknown) => void,
    ];
  if (!field) return null;
  const initial = field.initial ?? instead,
    put = (value: unknown) => {
      if (value !== (settings[name] ?? initial)) set(name, value === initial ? undefined : value);
    };
  if (field.kind === 'switch')
    return (
      <Switch
        size="xs"
        label={field.title}
        mb={7}
        checked={(settings[name] ?? initial) === true}
        onChange={(event) => put(event.currentTarget.checked)}
      />
    );
  if (field.kind === 'choice')
    return (
      <NativeSelect
        size="xs"
        label={field.title}
        value={String(settings[name] ?? initial ?? '')}
        onChange={(event) => put(event.target.value)}
        data={field.choices}
      />
    );
  const { min, max, whole } = field;
  return (
    <NumberInput
      size="xs"
      label={field.title}
      w={Math.max(96, field.title.length * 7.2)}
      min={min}
      max={max}
      step={field.step ?? 1}
      allowDecimal={!whole}
      value={(settings[name] ?? initial ?? '') as number}
      onChange={(value) => {
        const now = Number(value);
        // While somebody types, a number may be empty or out of range for a moment.
        if (value === '' && initial === undefined) put(undefined);
        else if (value !== '' && now >= (min ?? -Infinity) && now <= (max ?? Infinity)) put(now);
      }}
    />
  );
}
