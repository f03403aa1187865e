import { Button, MultiSelect, NativeSelect, Switch, TextInput } from '@mantine/core';
import {
  type Beside,
  CHANNEL_SOURCES,
  type ChannelSource,
  COMMON_LAYOUTS,
  MATERIAL_FEATURES,
  type MapLayout,
  type MaterialFeature,
} from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import own from './MaterialFields.module.css';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

const FEATURE_WORDS: Record<MaterialFeature, string> = {
  specular: 'Reflection of its own strength',
  ior: 'Index of refraction',
  clearcoat: 'Clear coat',
  sheen: 'Sheen',
  anisotropy: 'Highlights along a direction',
  transmission: 'Light through',
  iridescence: 'Iridescence',
  emissiveStrength: 'Glow over one',
  unlit: 'Unlit',
};
const LETTERS = ['red', 'green', 'blue', 'alpha'] as const;
const sourceWords = (source: ChannelSource): string => source.replace(/-/g, ' ');
const SOURCES = CHANNEL_SOURCES.map((value) => ({ value, label: sourceWords(value) }));
const OWN = 'own';
const same = (one: readonly MapLayout[], other: readonly MapLayout[]) => JSON.stringify(one) === JSON.stringify(other);

/** What of a material the target understands, and the maps that it takes beside the model. */
export function MaterialFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const { materials, textures } = draft,
    { beside } = textures,
    // A target that was stored before they were thought of says nothing of them.
    layers = materials.eyeLayers ?? [],
    common = beside && COMMON_LAYOUTS.findIndex(({ layouts }) => same(layouts, beside.layouts));
  const put = (next: Beside | undefined) => {
    const { beside: _, ...rest } = textures;
    change({ textures: next ? { ...rest, beside: next } : rest });
  };
  return (
    <Section title="Materials, and maps beside the model">
      <MultiSelect
        label="Materials beyond metallic–roughness"
        description="What isn’t chosen is folded in or taken out"
        value={[...(materials.understands ?? MATERIAL_FEATURES)]}
        onChange={(understands) => {
          const { understands: _, ...rest } = materials;
          change({
            materials:
              understands.length === MATERIAL_FEATURES.length
                ? rest
                : { ...rest, understands: understands as MaterialFeature[] },
          });
        }}
        data={MATERIAL_FEATURES.map((value) => ({ value, label: FEATURE_WORDS[value] }))}
        className={own.all}
      />
      <NativeSelect
        label="Maps beside the model"
        description="One file for each material and line below"
        value={!beside ? '' : common === undefined || common < 0 ? OWN : String(common)}
        onChange={({ target: { value } }) => {
          if (value === OWN) return;
          put(
            value === ''
              ? undefined
              : {
                  folder: 'maps',
                  format: 'image/png',
                  ...beside,
                  layouts: [...COMMON_LAYOUTS[Number(value)].layouts],
                },
          );
        }}
        data={[
          { value: '', label: 'None' },
          ...COMMON_LAYOUTS.map(({ title }, i) => ({ value: String(i), label: title })),
          ...(beside && common === -1 ? [{ value: OWN, label: 'A list of its own' }] : []),
        ]}
        className={styles.wide}
      />
      <Switch
        label="Materials as MaterialX"
        checked={materials.materialX}
        onChange={(event) => change({ materials: { ...materials, materialX: event.currentTarget.checked } })}
      />
      <Switch
        label="What glTF can’t say, in the manifest"
        checked={materials.beyondGltf}
        onChange={({ currentTarget: { checked } }) => change({ materials: { ...materials, beyondGltf: checked } })}
      />
      {EYE_LAYERS.map(({ id, label }) => (
        <Switch
          key={id}
          label={label}
          {...said(`materials.eyeLayers.${id}`)}
          checked={layers.includes(id)}
          onChange={({ currentTarget: { checked } }) =>
            change({
              materials: {
                ...materials,
                eyeLayers: EYE_LAYERS.map((one) => one.id).filter((one) =>
                  one === id ? checked : layers.includes(one),
                ),
              },
            })
          }
        />
      ))}
      {beside && (
        <div className={styles.whole}>
          <Layouts beside={beside} put={put} />
        </div>
      )}
    </Section>
  );
}

/** What eyes get where they have none of it. */
const EYE_LAYERS = [
  { id: 'tear', label: 'Water along the lids, where it is missing' },
  { id: 'shade', label: 'Shade under the lids, where it is missing' },
] as const;

/** Each file's name and what its channels hold. */
function Layouts({ beside, put }: { beside: Beside; put(next: Beside): void }) {
  const change = (i: number, layout: MapLayout | null) =>
    put({ ...beside, layouts: beside.layouts.flatMap((entry, k) => (k !== i ? [entry] : layout ? [layout] : [])) });
  return (
    <table className={`list ${own.layouts}`} aria-label="Maps beside the model">
      <thead>
        <tr>
          <th>File</th>
          {LETTERS.map((letter) => (
            <th key={letter}>{letter}</th>
          ))}
          <th />
        </tr>
      </thead>
      <tbody>
        {beside.layouts.map((layout, i) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: a line is its place; its name is what is being written
          <tr key={i}>
            <td>
              <TextInput
                size="xs"
                aria-label={`Name of file ${i + 1}`}
                value={layout.name}
                error={!layout.name.includes('{material}') && 'with {material} in it'}
                onChange={(event) => change(i, { ...layout, name: event.currentTarget.value })}
              />
            </td>
            {LETTERS.map((letter) => (
              <td key={letter}>
                <NativeSelect
                  size="xs"
                  aria-label={`${letter} of ${layout.name}`}
                  value={layout[letter] ?? ''}
                  onChange={({ target: { value } }) => {
                    const { [letter]: _, ...rest } = layout;
                    change(i, { ...rest, ...(value ? { [letter]: value } : {}) } as MapLayout);
                  }}
                  data={letter === 'alpha' ? [{ value: '', label: 'none' }, ...SOURCES] : SOURCES}
                />
              </td>
            ))}
            <td>
              <Button
                size="compact-xs"
                variant="default"
                aria-label={`Remove ${layout.name}`}
                disabled={beside.layouts.length === 1}
                onClick={() => change(i, null)}
              >
                ✕
              </Button>
            </td>
          </tr>
        ))}
      </tbody>
      <tfoot>
        <tr>
          <td colSpan={6}>
            <Button
              size="compact-xs"
              variant="default"
              disabled={beside.layouts.length >= 12}
              onClick={() =>
                put({
                  ...beside,
                  layouts: [
                    ...beside.layouts,
                    {
                      name: `{material}_${beside.layouts.length + 1}`,
                      red: 'occlusion',
                      green: 'roughness',
                      blue: 'metalness',
                    },
                  ],
                })
              }
            >
              Add a file
            </Button>
          </td>
        </tr>
      </tfoot>
    </table>
  );
}
