import { NumberInput } from '@mantine/core';
import type { Target } from '@dimetra/core';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import styles from './targets.module.css';

/** How much of everything a delivery may hold. */
export function CountFields({ draft, change }: FieldsProps) {
  return (
    <div className={`card ${styles.fields}`}>
      <NumberField
        label="Triangles"
        value={draft.triangles.max}
        onChange={(max) => change({ triangles: { max: max ?? 1 } })}
      />
      <NumberField
        label="Influences on a vertex"
        value={draft.influences.max}
        onChange={(max) => change({ influences: { max: max ?? 1 } })}
      />
      <NumberField
        label="Materials"
        value={draft.materials.max}
        onChange={(max) => change({ materials: { ...draft.materials, max: max ?? 1 } })}
      />
      <NumberField
        label="Morph targets"
        value={draft.morphs.max}
        onChange={(max) => change({ morphs: { ...draft.morphs, max: max ?? 0 } })}
      />
      <NumberField
        label="Brought to a height of, cm"
        value={draft.body?.heightCm}
        decimals={1}
        onChange={(heightCm) => change({ body: bodyWith(draft.body, { heightCm }) })}
      />
      <NumberInput
        label="Build, −1 slight to 1 heavy"
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
    </div>
  );
}

/** Nothing at all where nothing is asked of it any more. */
function bodyWith(before: Target['body'], part: NonNullable<Target['body']>): Target['body'] {
  const body = { ...before, ...part };
  return body.heightCm === undefined && body.build === undefined ? undefined : body;
}
