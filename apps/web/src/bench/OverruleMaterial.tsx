import { Button, NativeSelect, Switch } from '@mantine/core';
import { MATERIAL_KINDS, type MaterialKind, SURE_OF_KIND } from '@dimetra/core';
import { alphaWord } from '../shared/format.ts';
import { useDesk } from '../stage/context.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import styles from './OverruleMaterial.module.css';

const NONE = {};
/** Material name → what it was said to be. */
export const useSaidKinds = (): Readonly<Record<string, MaterialKind>> =>
  useAppSelector((state) => settingsOf(state.recipe.recipe, 'materials.kinds').kinds ?? NONE);

function without<T>(map: Readonly<Record<string, T>>, name: string): Record<string, T> {
  const { [name]: _, ...rest } = map;
  return rest;
}

/** What is decided of one material, each to be decided otherwise: what it is, how it is drawn, from which sides. */
export function OverruleMaterial({ name }: { name: string }) {
  const { run, character } = useDesk(),
    [{ alphaModes: modes = {}, doubleSided: sides = {} }, setDrawing] = useSettings('materials.transparency'),
    [{ kinds = {} }, setKind] = useSettings('materials.kinds');
  const source = character.revision.summary.materials.find((material) => material.name === name),
    now = run?.result?.materials.find((material) => material.name === name) ?? source;
  const setMode = (value: typeof modes) => setDrawing('alphaModes', value),
    setSides = (value: typeof sides) => setDrawing('doubleSided', value),
    setKinds = (value: typeof kinds) => setKind('kinds', value);
  const goBack = () => {
    if (modes[name]) setMode(without(modes, name));
    if (sides[name] !== undefined) setSides(without(sides, name));
    if (kinds[name]) setKinds(without(kinds, name));
  };
  return (
    <div className={`card ${styles.card}`}>
      <div className="top">
        <span>{name}</span>
        {(modes[name] || sides[name] !== undefined || kinds[name]) && (
          <Button size="compact-xs" variant="default" onClick={goBack}>
            Back to what was found
          </Button>
        )}
      </div>
      <div className={styles.row}>
        <NativeSelect
          size="xs"
          label="It is"
          className={styles.choice}
          value={kinds[name] ?? ''}
          onChange={({ target: { value } }) =>
            setKinds(value ? { ...kinds, [name]: value as MaterialKind } : without(kinds, name))
          }
          data={[
            { value: '', label: `As found: ${source?.kind ?? 'other'}` },
            ...MATERIAL_KINDS.map((kind) => ({ value: kind, label: kind })),
          ]}
        />
        <NativeSelect
          size="xs"
          label="Drawn"
          className={styles.choice}
          value={modes[name] ?? ''}
          onChange={({ target: { value } }) =>
            setMode(value ? { ...modes, [name]: value as (typeof modes)[string] } : without(modes, name))
          }
          data={[
            { value: '', label: `As found${run?.result ? `: ${alphaWord(now?.alphaMode ?? '')}` : ''}` },
            { value: 'OPAQUE', label: 'Opaque' },
            { value: 'MASK', label: 'Cut-out' },
            { value: 'BLEND', label: 'Blended' },
            { value: 'PASSES', label: 'Cut-out, soft edge blended' },
          ]}
        />
      </div>
      {!kinds[name] && source?.kindReason && (
        <p className="quiet">
          Taken for {source.kind}
          {(source.kindConfidence ?? 1) < SURE_OF_KIND ? ', not certain' : ''}: {source.kindReason}.
        </p>
      )}
      <Switch
        size="xs"
        label="Both sides"
        className={styles.sides}
        checked={sides[name] ?? now?.doubleSided ?? false}
        onChange={({ currentTarget: { checked } }) => setSides({ ...sides, [name]: checked })}
      />
    </div>
  );
}
