import { NativeSelect, NumberInput } from '@mantine/core';
import { PART_ROLES, type Target } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';

/** How much of everything a delivery may hold. */
export function CountFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  return (
    <Section title="How much it may hold">
      <NumberField
        label="Triangles"
        field="triangles.max"
        value={draft.triangles.max}
        onChange={(max) => change({ triangles: { ...draft.triangles, max: max ?? 1 } })}
      />
      <PartLimits draft={draft} change={change} />
      <NumberField
        label="Influences on a vertex"
        field="influences.max"
        value={draft.influences.max}
        onChange={(max) => change({ influences: { max: max ?? 1 } })}
      />
      <NumberField
        label="Materials"
        field="materials.max"
        value={draft.materials.max}
        onChange={(max) => change({ materials: { ...draft.materials, max: max ?? 1 } })}
      />
      <NumberField
        label="Morph targets"
        field="morphs.max"
        value={draft.morphs.max}
        onChange={(max) => change({ morphs: { ...draft.morphs, max: max ?? 0 } })}
      />
      <NumberField
        label="Brought to a height of, cm"
        field="body.heightCm"
        value={draft.body?.heightCm}
        decimals={1}
        onChange={(heightCm) => change({ body: bodyWith(draft.body, { heightCm }) })}
      />
      <NumberInput
        label="Build, −1 slight to 1 heavy"
        {...said('body.build')}
        size="sm"
        min={-1}
        max={1}
        step={0.1}
        decimalScale={2}
        value={draft.body?.build ?? ''}
        onChange={(build) =>
          change({ body: bodyWith(draft.body, { build: build === '' ? undefined : Number(build) }) })
        }
      />
    </Section>
  );
}

/** What all parts of a kind may have together; empty again, a kind has no limit of its own. */
function PartLimits({ draft, change }: FieldsProps) {
  const limits = draft.triangles.parts ?? {},
    put = (role: PartRole, most: number | undefined) => {
      const { [role]: _, ...rest } = limits,
        parts = most ? { ...rest, [role]: most } : rest;
      change({ triangles: { ...draft.triangles, parts: Object.keys(parts).length ? parts : undefined } });
    };
  return (
    <>
      {PART_ROLES.filter((role) => limits[role] !== undefined).map((role) => (
        <NumberField
          key={role}
          label={`Triangles, ${role}`}
          field={`triangles.parts.${role}`}
          value={limits[role]}
          onChange={(most) => put(role, most)}
        />
      ))}
      <NativeSelect
        label="A kind of part has a limit"
        value=""
        onChange={(event) =>
          event.target.value && put(event.target.value as PartRole, Math.round(draft.triangles.max / 5))
        }
        data={[
          { value: '', label: 'Choose a kind' },
          ...PART_ROLES.filter((role) => limits[role] === undefined).map((role) => ({ value: role, label: role })),
        ]}
      />
    </>
  );
}
type PartRole = (typeof PART_ROLES)[number];

/** Nothing at all where nothing is asked of it any more. */
function bodyWith(before: Target['body'], part: NonNullable<Target['body']>): Target['body'] {
  const body = { ...before, ...part };
  return body.heightCm === undefined && body.build === undefined ? undefined : body;
}
