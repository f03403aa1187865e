import { MultiSelect, NativeSelect, Switch } from '@mantine/core';
import type { Target } from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const PACKINGS = [
  { value: '', label: 'No' },
  { value: 'smallest', label: 'KTX2, smallest that serves' },
  { value: 'uastc', label: 'KTX2, UASTC' },
  { value: 'etc1s', label: 'KTX2, ETC1S' },
];
const TOGETHER = [
  { value: 'keep', label: 'As they come' },
  { value: 'one', label: 'In one map: red, green, blue' },
  { value: 'apart', label: 'Occlusion on its own' },
];
const FORMATS = ['image/png', 'image/jpeg', 'image/webp'] as const;

/** Size, memory and formats of maps. */
export function MapFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  return (
    <Section title="Maps">
      <NativeSelect
        label="Maps up to, pixels"
        {...said('textures.maxSize')}
        value={String(draft.textures.maxSize)}
        onChange={(event) => change({ textures: { ...draft.textures, maxSize: Number(event.target.value) } })}
        data={[128, 256, 512, 1024, 2048, 4096, 8192].map(String)}
      />
      <NumberField
        label="Texture memory, MB"
        field="textures.maxMemoryMB"
        value={draft.textures.maxMemoryMB}
        onChange={(maxMemoryMB) => change({ textures: { ...draft.textures, maxMemoryMB } })}
      />
      <NumberField
        label="Texels per cm, at most"
        field="textures.texelsPerCm"
        value={draft.textures.texelsPerCm}
        decimals={1}
        onChange={(texelsPerCm) => change({ textures: { ...draft.textures, texelsPerCm: texelsPerCm || undefined } })}
      />
      <MultiSelect
        label="Map formats, best first"
        {...said('textures.formats')}
        value={[...draft.textures.formats]}
        onChange={(formats) => {
          if (formats.length)
            change({ textures: { ...draft.textures, formats: formats as Target['textures']['formats'] } });
        }}
        data={[...FORMATS]}
        className={styles.wide}
      />
      <NativeSelect
        label="Packed for graphics cards"
        {...said('textures.packed')}
        value={draft.textures.packed ?? ''}
        onChange={(event) =>
          change({
            textures: {
              ...draft.textures,
              packed: (event.target.value || undefined) as Target['textures']['packed'],
            },
          })
        }
        data={PACKINGS}
      />
      <NativeSelect
        label="Occlusion, roughness, metalness"
        {...said('textures.packing')}
        value={draft.textures.packing ?? 'keep'}
        onChange={({ target: { value } }) =>
          change({
            textures: {
              ...draft.textures,
              packing: value === 'keep' ? undefined : (value as Target['textures']['packing']),
            },
          })
        }
        data={TOGETHER}
      />
      <NumberField
        label="Writing may change, ΔE"
        field="textures.maxError"
        value={draft.textures.maxError}
        decimals={2}
        onChange={(maxError) => change({ textures: { ...draft.textures, maxError: maxError || undefined } })}
      />
      <Switch
        label={`No map finer than is seen from ${draft.appearance.nearestM} m`}
        checked={draft.textures.asSeen}
        onChange={(event) => change({ textures: { ...draft.textures, asSeen: event.currentTarget.checked } })}
      />
    </Section>
  );
}
