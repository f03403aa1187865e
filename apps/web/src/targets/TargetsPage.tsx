import { Button, Checkbox, MultiSelect, NativeSelect, NumberInput, Switch, Textarea, TextInput } from '@mantine/core';
import type { Target } from '@dimetra/core';
import { useEffect, useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import {
  sentenceOf,
  useAddTargetMutation,
  useFiguresQuery,
  useRemoveTargetMutation,
  useSaveTargetMutation,
  useTargetsQuery,
} from '../api/api.ts';
import type { TargetRow } from '../api/types.ts';

/** Delivery targets: what each asks for, side by side with another; edited, copied, taken out as JSON. */
export function TargetsPage() {
  const { targetId } = useParams();
  const navigate = useNavigate();
  const { data: targets = [], isLoading, isFetching } = useTargetsQuery();
  const [other, setOther] = useState('');
  // An address of its own never opens another target: what is typed would go there.
  const chosen = targetId ? targets.find((row) => row.id === targetId) : targets[0];
  const beside = targets.find((row) => row.id === other);
  if (isLoading)
    return (
      <main className="page quiet" role="status">
        Loading targets …
      </main>
    );
  return (
    <main className="page">
      <header>
        <div>
          <h1>Targets</h1>
          <span className="quiet">What a delivery must keep to</span>
        </div>
        <span style={{ display: 'flex', gap: 8, alignItems: 'center' }}>
          <Button component={Link} to="/figures" variant="default" size="compact-md">
            Figures
          </Button>
          <NativeSelect
            aria-label="Compare with"
            value={other}
            onChange={(event) => setOther(event.target.value)}
            data={[
              { value: '', label: 'Compare with …' },
              ...targets.filter((row) => row.id !== chosen?.id).map((row) => ({ value: row.id, label: row.title })),
            ]}
          />
        </span>
      </header>
      <div style={{ display: 'grid', gridTemplateColumns: '230px minmax(0, 1fr)', gap: 22, alignItems: 'start' }}>
        <nav aria-label="Targets" style={{ display: 'grid', gap: 4 }}>
          {targets.map((row) => (
            <button
              key={row.id}
              type="button"
              className={`crumb ${row.id === chosen?.id ? 'here' : ''}`}
              style={{
                justifyContent: 'space-between',
                background: row.id === chosen?.id ? 'var(--raised)' : undefined,
              }}
              onClick={() => navigate(`/targets/${row.id}`)}
            >
              {row.title}
              <span className="num quiet">{row.triangles.max.toLocaleString('en-GB')}</span>
            </button>
          ))}
        </nav>
        {chosen &&
          (beside ? (
            <Compare a={chosen} b={beside} />
          ) : (
            <Editor key={chosen.id} target={chosen} taken={targets.map((row) => row.id)} />
          ))}
        {!chosen && (
          <p className="quiet" role="status">
            {isFetching
              ? 'Loading the target …'
              : `There is no target “${targetId}”. It was removed, or the address is wrong; choose one on the left.`}
          </p>
        )}
      </div>
    </main>
  );
}

const NOTE_ONLY = [
  { value: 'rest', label: 'At rest' },
  { value: 'part', label: 'Worst part' },
  { value: 'skin', label: 'Skin through clothes' },
  { value: 'pose', label: 'Worst pose' },
  { value: 'pose-max', label: 'Largest in a pose' },
  { value: 'inventory', label: 'Parts and morphs lost' },
];
const FORMATS = ['image/png', 'image/jpeg', 'image/webp'] as const;

function Editor({ target, taken }: { target: TargetRow; taken: string[] }) {
  const navigate = useNavigate();
  const [save, saving] = useSaveTargetMutation();
  const [add] = useAddTargetMutation();
  const [remove] = useRemoveTargetMutation();
  const { data: figures = [] } = useFiguresQuery();
  const [draft, setDraft] = useState<Target>(target);
  const [problem, setProblem] = useState<string | null>(null);
  useEffect(() => setDraft(target), [target]);
  const change = (part: Partial<Target>) => setDraft({ ...draft, ...part });
  const clean = (): Target => {
    const { shipped: _, ...rest } = draft as TargetRow;
    return rest;
  };
  const same = JSON.stringify(clean()) === JSON.stringify((({ shipped: _, ...rest }) => rest)(target));
  const number = (
    label: string,
    value: number | undefined,
    set: (value: number | undefined) => void,
    extra: object = {},
  ) => (
    <NumberInput
      label={label}
      size="sm"
      value={value ?? ''}
      thousandSeparator=","
      min={0}
      onChange={(next) => set(next === '' ? undefined : Number(next))}
      {...extra}
    />
  );
  const copy = async () => {
    let id = `${target.id}-copy`;
    for (let n = 2; taken.includes(id); n++) id = `${target.id}-copy-${n}`;
    const answer = await add({ ...clean(), id, title: `${target.title} copy` });
    if (answer.error) setProblem(sentenceOf(answer.error));
    else navigate(`/targets/${id}`);
  };
  const grid = { display: 'grid', gridTemplateColumns: 'repeat(auto-fill, minmax(170px, 1fr))', gap: 12 };
  return (
    <form
      onSubmit={async (event) => {
        event.preventDefault();
        setProblem(null);
        const answer = await save(clean());
        if (answer.error) setProblem(sentenceOf(answer.error));
      }}
    >
      <div style={{ display: 'flex', gap: 8, justifyContent: 'space-between', alignItems: 'center', marginBottom: 12 }}>
        <span className="quiet">
          {target.shipped ? 'Shipped with Dimetra' : 'Made here'} · <span className="num">{target.id}</span>
        </span>
        <span style={{ display: 'flex', gap: 8 }}>
          {!target.shipped && (
            <Button
              variant="default"
              size="compact-md"
              onClick={async () => {
                await remove(target.id);
                navigate('/targets');
              }}
            >
              Remove
            </Button>
          )}
          <Button
            component="a"
            variant="default"
            size="compact-md"
            href={`data:application/json,${encodeURIComponent(JSON.stringify(clean(), null, 2))}`}
            download={`${target.id}.json`}
          >
            JSON
          </Button>
          <Button variant="default" size="compact-md" onClick={copy}>
            Copy to a new one
          </Button>
          <Button type="submit" size="compact-md" disabled={same} loading={saving.isLoading}>
            Save
          </Button>
        </span>
      </div>
      {problem && (
        <div className="card blocks" role="alert">
          <p style={{ margin: 0 }}>{problem}</p>
        </div>
      )}
      <div className="card" style={grid}>
        <TextInput label="Title" value={draft.title} onChange={(event) => change({ title: event.target.value })} />
        <Textarea
          label="Note"
          autosize
          minRows={1}
          value={draft.note}
          onChange={(event) => change({ note: event.target.value })}
          style={{ gridColumn: 'span 2' }}
        />
      </div>
      <div className="card" style={grid}>
        {number('Triangles', draft.triangles.max, (max) => change({ triangles: { max: max ?? 1 } }))}
        {number('Influences on a vertex', draft.influences.max, (max) => change({ influences: { max: max ?? 1 } }))}
        {number('Materials', draft.materials.max, (max) =>
          change({ materials: { ...draft.materials, max: max ?? 1 } }),
        )}
        {number('Morph targets', draft.morphs.max, (max) => change({ morphs: { max: max ?? 0 } }))}
        {number('Package, MB', draft.package.maxMB, (maxMB) => change({ package: { ...draft.package, maxMB } }))}
        <NativeSelect
          label="Format"
          value={draft.package.format}
          onChange={(event) => change({ package: { ...draft.package, format: event.target.value as 'glb' } })}
          data={[
            { value: 'glb', label: 'One .glb' },
            { value: 'gltf', label: '.gltf with files' },
          ]}
        />
      </div>
      <div className="card" style={grid}>
        <NativeSelect
          label="Joints"
          value={draft.joints.keep}
          onChange={(event) => change({ joints: { ...draft.joints, keep: event.target.value as 'all' } })}
          data={[
            { value: 'all', label: 'All' },
            { value: 'humanoid', label: 'Humanoid only' },
            { value: 'body', label: 'Body only' },
            { value: 'none', label: 'None: a static figure' },
          ]}
        />
        {number('At most', draft.joints.max, (max) => change({ joints: { ...draft.joints, max } }))}
        <NativeSelect
          label="Joint names"
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
        <NativeSelect
          label="Figure"
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
        <NativeSelect
          label="Rest pose"
          value={draft.restPose ?? ''}
          onChange={(event) => {
            const { restPose: _, ...rest } = draft;
            setDraft(event.target.value ? { ...rest, restPose: event.target.value as 'keep' } : rest);
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
          label="Hair and lashes"
          value={draft.materials.hair}
          onChange={(event) => change({ materials: { ...draft.materials, hair: event.target.value as 'mask' } })}
          data={[
            { value: 'mask', label: 'Cut-out' },
            { value: 'blend', label: 'Blended' },
          ]}
        />
        <Switch
          label="Blending allowed"
          checked={draft.materials.blendAllowed}
          onChange={(event) => change({ materials: { ...draft.materials, blendAllowed: event.currentTarget.checked } })}
          style={{ alignSelf: 'end' }}
        />
      </div>
      <div className="card" style={grid}>
        <NativeSelect
          label="Maps up to, pixels"
          value={String(draft.textures.maxSize)}
          onChange={(event) => change({ textures: { ...draft.textures, maxSize: Number(event.target.value) } })}
          data={[128, 256, 512, 1024, 2048, 4096, 8192].map(String)}
        />
        {number('Texture memory, MB', draft.textures.maxMemoryMB, (maxMemoryMB) =>
          change({ textures: { ...draft.textures, maxMemoryMB } }),
        )}
        <MultiSelect
          label="Map formats, best first"
          value={[...draft.textures.formats]}
          onChange={(formats) => {
            if (formats.length)
              change({ textures: { ...draft.textures, formats: formats as Target['textures']['formats'] } });
          }}
          data={[...FORMATS]}
          style={{ gridColumn: 'span 2' }}
        />
      </div>
      <div className="card" style={grid}>
        {number(
          'At rest, RMS mm',
          draft.parity.restRmsMm,
          (value) => change({ parity: { ...draft.parity, restRmsMm: value ?? 0 } }),
          { decimalScale: 3 },
        )}
        {number(
          'Worst part, RMS mm',
          draft.parity.partRmsMm,
          (partRmsMm) => change({ parity: { ...draft.parity, partRmsMm } }),
          { decimalScale: 2 },
        )}
        {number(
          'Skin through clothes, cm²',
          draft.parity.skinCm2,
          (skinCm2) => change({ parity: { ...draft.parity, skinCm2 } }),
          { decimalScale: 1 },
        )}
        {number(
          'Worst pose, RMS mm',
          draft.parity.poseRmsMm,
          (value) => change({ parity: { ...draft.parity, poseRmsMm: value ?? 0 } }),
          { decimalScale: 3 },
        )}
        {number(
          'Largest in a pose, mm',
          draft.parity.poseMaxMm,
          (value) => change({ parity: { ...draft.parity, poseMaxMm: value ?? 0 } }),
          { decimalScale: 1 },
        )}
        <MultiSelect
          label="Only noted, doesn't block"
          value={draft.parity.noteOnly}
          onChange={(noteOnly) =>
            change({ parity: { ...draft.parity, noteOnly: noteOnly as Target['parity']['noteOnly'] } })
          }
          data={NOTE_ONLY}
          placeholder={draft.parity.noteOnly.length ? '' : 'every limit blocks'}
          style={{ gridColumn: 'span 2' }}
        />
        {number('Height from, cm', draft.heightCm.min, (value) =>
          change({ heightCm: { ...draft.heightCm, min: value ?? 0 } }),
        )}
        {number('Height to, cm', draft.heightCm.max, (value) =>
          change({ heightCm: { ...draft.heightCm, max: value ?? 0 } }),
        )}
      </div>
    </form>
  );
}

/** Two targets, line by line; what differs is marked. */
function Compare({ a, b }: { a: TargetRow; b: TargetRow }) {
  const [all, setAll] = useState(false);
  const flat = (value: unknown, path = ''): [string, string][] =>
    value && typeof value === 'object' && !Array.isArray(value)
      ? Object.entries(value).flatMap(([key, inner]) => flat(inner, path ? `${path}.${key}` : key))
      : [[path, Array.isArray(value) ? value.join(', ') : String(value)]];
  const left = new Map(flat(a)),
    right = new Map(flat(b));
  const keys = [...new Set([...left.keys(), ...right.keys()])].filter(
    (key) => !['schema', 'id', 'shipped'].includes(key),
  );
  return (
    <div>
      <Checkbox
        label="Also what is the same"
        checked={all}
        onChange={(event) => setAll(event.currentTarget.checked)}
        mb={10}
      />
      <table className="list">
        <thead>
          <tr>
            <th />
            <th>{a.title}</th>
            <th>{b.title}</th>
          </tr>
        </thead>
        <tbody>
          {keys
            .filter((key) => all || left.get(key) !== right.get(key))
            .map((key) => (
              <tr key={key}>
                <td className="quiet">{key}</td>
                <td className="num">{left.get(key) ?? '–'}</td>
                <td className="num">{right.get(key) ?? '–'}</td>
              </tr>
            ))}
        </tbody>
      </table>
    </div>
  );
}
