import { NativeSelect, Switch, TextInput } from '@mantine/core';
import { useFiguresQuery } from '../api/api.ts';
import { useSaid } from './at-hand.tsx';
import type { FieldsProps } from './fields.ts';
import { NumberField } from './NumberField.tsx';
import { Section } from './Section.tsx';

/** Joints, their names and rest pose, and what hair is drawn as. */
export function JointFields({ draft, change }: FieldsProps) {
  const said = useSaid();
  const { data: figures = [] } = useFiguresQuery(),
    { figure } = draft.joints,
    body = (typeof figure === 'string' ? figures.find(({ id }) => id === figure) : figure)?.body;
  return (
    <Section title="Joints, rest pose and hair">
      <NativeSelect
        label="Joints"
        {...said('joints.keep')}
        value={draft.joints.keep}
        onChange={(event) => change({ joints: { ...draft.joints, keep: event.target.value as 'all' } })}
        data={[
          { value: 'all', label: 'All' },
          { value: 'humanoid', label: 'Humanoid only' },
          { value: 'body', label: 'Body only' },
          { value: 'none', label: 'None: a static figure' },
        ]}
      />
      <NumberField
        label="At most"
        field="joints.max"
        value={draft.joints.max}
        onChange={(max) => change({ joints: { ...draft.joints, max } })}
      />
      <NativeSelect
        label="Joint names"
        {...said('joints.names')}
        value={typeof draft.joints.names === 'string' ? draft.joints.names : 'own'}
        onChange={(event) => {
          if (event.target.value !== 'own')
            change({ joints: { ...draft.joints, names: event.target.value as 'roles' } });
        }}
        data={[
          { value: 'roles', label: 'By role (VRM 1.0 ids)' },
          { value: 'source', label: 'As in the source' },
          ...(typeof draft.joints.names === 'string' ? [] : [{ value: 'own', label: 'A list of its own' }]),
        ]}
      />
      <TextInput
        label="Root joint"
        {...said('joints.root')}
        size="sm"
        placeholder="as it is"
        value={draft.joints.root ?? ''}
        onChange={(event) => change({ joints: { ...draft.joints, root: event.target.value || undefined } })}
      />
      <Switch
        label="Joints at the tips"
        {...said('joints.leafEnds')}
        checked={draft.joints.leafEnds ?? false}
        onChange={(event) =>
          change({ joints: { ...draft.joints, leafEnds: event.currentTarget.checked || undefined } })
        }
      />
      <NativeSelect
        label="Figure"
        {...said('joints.figure')}
        value={typeof draft.joints.figure === 'string' ? draft.joints.figure : draft.joints.figure ? '*' : ''}
        onChange={(event) => {
          if (event.target.value !== '*') {
            const { figure: _, ...rest } = draft.joints;
            change({ joints: event.target.value ? { ...rest, figure: event.target.value } : rest });
          }
        }}
        data={[
          { value: '', label: "The character's own" },
          ...(typeof draft.joints.figure === 'object' ? [{ value: '*', label: draft.joints.figure.title }] : []),
          ...figures.map((row) => ({ value: row.id, label: row.title })),
        ]}
      />
      {draft.joints.figure && (
        <Switch
          label={body ? 'The skin on its polygons' : 'The skin on its polygons: it has joints alone'}
          disabled={!body && !draft.fit?.body}
          checked={draft.fit?.body ?? false}
          onChange={(event) =>
            change({ fit: event.currentTarget.checked ? { eyes: 'source', ...draft.fit, body: true } : undefined })
          }
        />
      )}
      {draft.fit?.body && (
        <NativeSelect
          label="Maps of the skin"
          {...said('fit.maps')}
          value={String(draft.fit.maps ?? '')}
          onChange={({ target: { value } }) => {
            const { maps: _, ...rest } = draft.fit ?? { body: true, eyes: 'source' };
            change({ fit: value ? { ...rest, maps: Number(value) } : rest });
          }}
          data={[
            { value: '', label: 'As fine as they were' },
            ...[512, 1024, 2048, 4096, 8192].map((size) => ({ value: String(size), label: `${size} at most` })),
          ]}
        />
      )}
      {draft.fit?.body && (
        <NativeSelect
          label="Eyes, teeth and tongue"
          {...said('fit.eyes')}
          value={draft.fit.eyes ?? 'source'}
          onChange={({ target: { value } }) =>
            change({ fit: { body: true, ...draft.fit, eyes: value as 'source' | 'figure' } })
          }
          data={[
            { value: 'source', label: 'The character’s own' },
            { value: 'figure', label: 'The figure’s, with its looks' },
          ]}
        />
      )}
      {draft.fit?.body && (
        <NativeSelect
          label="Morphs of the skin"
          {...said('fit.morphs')}
          value={draft.fit.morphs ?? 'source'}
          onChange={({ target: { value } }) =>
            change({ fit: { eyes: 'source', ...draft.fit, body: true, morphs: value as 'source' | 'both' } })
          }
          data={[
            { value: 'source', label: 'The character’s own' },
            { value: 'both', label: 'The figure’s beside them' },
          ]}
        />
      )}
      <NativeSelect
        label="Rest pose"
        {...said('restPose')}
        value={draft.restPose ?? ''}
        onChange={(event) => {
          change({ restPose: (event.target.value || undefined) as 'keep' | undefined });
        }}
        data={[
          { value: '', label: draft.joints.figure ? "The figure's" : 'As it comes' },
          { value: 'keep', label: 'As it comes' },
          { value: 'arms-out', label: 'Arms straight out' },
          { value: 'arms-down', label: 'Arms down 45°' },
          ...(draft.joints.figure ? [{ value: 'figure', label: "The figure's own" }] : []),
        ]}
      />
      <NativeSelect
        label="Hair"
        {...said('materials.hair')}
        value={draft.materials.hair}
        onChange={(event) => change({ materials: { ...draft.materials, hair: event.target.value as 'mask' } })}
        data={[
          { value: 'mask', label: 'Cut-out' },
          { value: 'blend', label: 'Blended' },
        ]}
      />
      <Switch
        label="Blending allowed"
        {...said('materials.blendAllowed')}
        checked={draft.materials.blendAllowed}
        onChange={(event) => change({ materials: { ...draft.materials, blendAllowed: event.currentTarget.checked } })}
      />
    </Section>
  );
}
