import { NativeSelect, Switch, TextInput } from '@mantine/core';
import {
  canGoAlone,
  CHOOSES_AXES,
  COMPRESSES,
  COMPRESSIONS,
  HOLDS_LEVELS,
  ONLY,
  type Only,
  PACKAGE_FORMATS,
  type Compression,
  type Target,
} from '@dimetra/core';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';
import styles from './targets.module.css';

type Package = Target['package'];
type Meta = NonNullable<Package['meta']>;

const FORMATS: Record<Package['format'], string> = {
  glb: 'One .glb',
  gltf: '.gltf with files',
  vrm: 'One .vrm (VRM 1.0)',
  usdz: 'One .usdz (USD)',
  usda: '.usda with files',
  dae: '.dae (COLLADA)',
  obj: '.obj, as it stands',
};

const ALONE: Record<Only, string> = {
  mesh: 'The mesh alone, as it stands',
  skeleton: 'The joints alone',
  motion: 'Joints with their clips',
  maps: 'The maps alone, as files',
};
const STORED: Record<Compression, string> = {
  none: 'As they are',
  quantised: 'As whole numbers',
  meshopt: 'Coded by meshopt',
  draco: 'Coded by Draco',
};

const LOSES: Record<Compression, string> = {
  none: 'Nothing is lost; every loader opens it.',
  quantised: 'Within 0.03 mm; loaders need KHR_mesh_quantization.',
  meshopt: 'Within 0.03 mm, smallest; loaders need EXT_meshopt_compression.',
  draco: 'Within 0.03 mm, morphs as they are; loaders need KHR_draco_mesh_compression.',
};

const UNITS = [
  { value: '1', label: 'Metre' },
  { value: '0.01', label: 'Centimetre' },
  { value: '0.001', label: 'Millimetre' },
  { value: '0.0254', label: 'Inch' },
];
/** A target that came as JSON may have any. */
const unitsWith = (metres: number) =>
  UNITS.some(({ value }) => Number(value) === metres)
    ? UNITS
    : [...UNITS, { value: String(metres), label: `${metres} metres` }];

/** What file a delivery comes in, and of VRM who made the figure and what others may do with it. */
export function PackageFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const set = (part: Partial<Package>) => change({ package: { ...draft.package, ...part } });
  return (
    <Section title="What it is handed over as">
      <NativeSelect
        label="Format"
        {...said('package.format')}
        value={draft.package.format}
        onChange={(event) => {
          const format = event.target.value as Package['format'];
          // What leaves no choice forgets it.
          set({
            format,
            ...(!CHOOSES_AXES.includes(format) && { upAxis: undefined, unitMetres: undefined }),
            ...(!COMPRESSES.includes(format) && { compression: undefined }),
            ...(!HOLDS_LEVELS.includes(format) && { levelsIn: undefined }),
            ...(format === 'vrm' && { parts: undefined }),
            ...(draft.package.only && !canGoAlone(format, draft.package.only) && { only: undefined }),
          });
        }}
        data={PACKAGE_FORMATS.map((value) => ({ value, label: FORMATS[value] }))}
      />
      <NumberField
        label="Package, MB"
        field="package.maxMB"
        value={draft.package.maxMB}
        onChange={(maxMB) => set({ maxMB })}
      />
      <NativeSelect
        label="Goes out"
        {...said('package.only')}
        value={draft.package.only ?? ''}
        onChange={(event) => set({ only: (event.target.value || undefined) as Package['only'] })}
        data={[
          { value: '', label: 'All of the figure' },
          ...ONLY.filter((one) => canGoAlone(draft.package.format, one)).map((one) => ({
            value: one,
            label: ALONE[one],
          })),
        ]}
      />
      <Switch
        label="BVH of joints and clips beside it"
        {...said('package.bvh')}
        checked={draft.package.bvh ?? false}
        onChange={(event) => set({ bvh: event.currentTarget.checked || undefined })}
      />
      {COMPRESSES.includes(draft.package.format) && (
        <NativeSelect
          label="Vertices stored"
          description={LOSES[draft.package.compression ?? 'none']}
          inputWrapperOrder={['label', 'input', 'description']}
          className={styles.wide}
          value={draft.package.compression ?? 'none'}
          onChange={(event) => {
            const compression = event.target.value as Compression;
            set({ compression: compression === 'none' ? undefined : compression });
          }}
          data={COMPRESSIONS.map((value) => ({ value, label: STORED[value] }))}
        />
      )}
      {CHOOSES_AXES.includes(draft.package.format) && (
        <>
          <NativeSelect
            label="Up"
            {...said('package.upAxis')}
            value={draft.package.upAxis ?? 'Y'}
            onChange={(event) => set({ upAxis: event.target.value === 'Z' ? 'Z' : undefined })}
            data={[
              { value: 'Y', label: 'Y, facing +Z' },
              { value: 'Z', label: 'Z, facing −Y' },
            ]}
          />
          <NativeSelect
            label="Unit"
            {...said('package.unitMetres')}
            value={String(draft.package.unitMetres ?? 1)}
            onChange={(event) =>
              set({ unitMetres: event.target.value === '1' ? undefined : Number(event.target.value) })
            }
            data={unitsWith(draft.package.unitMetres ?? 1)}
          />
        </>
      )}
      {draft.package.format === 'vrm' && (
        <LicenceFields meta={draft.package.meta ?? {}} onChange={(meta) => set({ meta })} />
      )}
    </Section>
  );
}

const USES = [
  { value: '', label: 'As the figure says' },
  { value: 'personalNonProfit', label: 'Personal, without profit' },
  { value: 'personalProfit', label: 'Personal, with profit' },
  { value: 'corporation', label: 'Companies too' },
];
const WEARERS = [
  { value: '', label: 'As the figure says' },
  { value: 'onlyAuthor', label: 'Its author alone' },
  { value: 'onlySeparatelyLicensedPerson', label: 'Whoever has a licence' },
  { value: 'everyone', label: 'Everybody' },
];
const CHANGES = [
  { value: '', label: 'As the figure says' },
  { value: 'prohibited', label: 'Not allowed' },
  { value: 'allowModification', label: 'Allowed' },
  { value: 'allowModificationRedistribution', label: 'Allowed, and passed on' },
];

function LicenceFields({ meta, onChange }: { meta: Meta; onChange(meta: Meta): void }) {
  const text = (key: 'copyrightInformation' | 'contactInformation' | 'otherLicenseUrl', label: string) => (
      <TextInput label={label} size="sm" value={meta[key] ?? ''} onChange={(event) => put(key, event.target.value)} />
    ),
    choice = (key: 'commercialUsage' | 'avatarPermission' | 'modification', label: string, data: typeof USES) => (
      <NativeSelect
        label={label}
        value={meta[key] ?? ''}
        onChange={(event) => put(key, event.target.value)}
        data={data}
      />
    );
  /** What is empty isn't said. */
  function put(key: keyof Meta, value: string | readonly string[] | boolean) {
    const { [key]: _, ...rest } = meta;
    onChange(
      (value === '' || value === false || (Array.isArray(value) && !value.length)
        ? rest
        : { ...rest, [key]: value }) as Meta,
    );
  }
  return (
    <>
      <TextInput
        label="Authors, with commas between"
        size="sm"
        defaultValue={(meta.authors ?? []).join(', ')}
        onChange={(event) =>
          put(
            'authors',
            event.target.value
              .split(',')
              .map((name) => name.trim())
              .filter(Boolean),
          )
        }
        className={styles.wide}
      />
      {text('copyrightInformation', 'Copyright')}
      {text('contactInformation', 'Contact')}
      {text('otherLicenseUrl', 'Another licence, its address')}
      {choice('avatarPermission', 'Worn by', WEARERS)}
      {choice('commercialUsage', 'Used commercially', USES)}
      {choice('modification', 'Changed by others', CHANGES)}
      <Switch
        label="No credit needed"
        checked={meta.creditNotation === 'unnecessary'}
        onChange={(event) => put('creditNotation', event.currentTarget.checked ? 'unnecessary' : '')}
      />
      <Switch
        label="May be passed on"
        checked={meta.allowRedistribution ?? false}
        onChange={(event) => put('allowRedistribution', event.currentTarget.checked)}
      />
    </>
  );
}
