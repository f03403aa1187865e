import { Button, NativeSelect } from '@mantine/core';
import { NO_TREATMENT, parseTreatment, SHIPPED_TREATMENTS, type Treatment, treatmentFor } from '@dimetra/core';
import { useTreatmentsQuery } from '../api/api.ts';
import { useDesk } from '../stage/context.ts';
import { BringIn, ExportJson } from '../shared/JsonFile.tsx';
import { useSettings } from '../store/use-settings.ts';
import { CopyPieces } from './CopyPieces.tsx';
import { KeepForAll, KeptList } from './KeptTreatments.tsx';
import { useSaidKinds } from './OverruleMaterial.tsx';
import { OwnTreatment } from './OwnTreatment.tsx';
import { withPieces } from './treatment-fields.ts';
import { freeId } from '../shared/free-id.ts';
import styles from './TreatmentCard.module.css';

/** Which treatment a material wears, and what one's own treatments say. */
export function TreatmentCard({ material }: { material: string }) {
  const { character } = useDesk(),
    kinds = useSaidKinds(),
    { data: kept = [] } = useTreatmentsQuery(),
    [{ own = [], worn = {}, byKind = true }, set] = useSettings('materials.treat');
  const materials = character.revision.summary.materials,
    kindOf = (name: string) => kinds[name] ?? materials.find((entry) => entry.name === name)?.kind ?? 'other',
    // Beards are hair.
    groupOf = (name: string) => (kindOf(name) === 'beard' ? 'hair' : kindOf(name)),
    all = [...own, ...SHIPPED_TREATMENTS.filter(({ id }) => !own.some((entry) => entry.id === id))] as Treatment[],
    usual = byKind ? treatmentFor(kindOf(material) as Parameters<typeof treatmentFor>[0], all) : null,
    said = worn[material],
    now = said ? all.find(({ id }) => id === said) : usual,
    mine = own.find((entry) => entry.id === now?.id) as Treatment | undefined;
  const wear = (names: readonly string[], id: string | undefined) => {
    const next = { ...worn };
    for (const name of names)
      if (id === undefined) delete next[name];
      else next[name] = id;
    set('worn', Object.keys(next).length ? next : undefined);
  };
  const keep = (treatment: Treatment) => set('own', [...own.filter((entry) => entry.id !== treatment.id), treatment]);
  const free = kept.filter(({ id }) => !own.some((entry) => entry.id === id)) as Treatment[],
    group = groupOf(material),
    sameKind = materials.map(({ name }) => name).filter((name) => groupOf(name) === group);
  /** What is kept for all characters comes along into the recipe when it is worn. */
  const choose = (id: string) => {
    const found = free.find((entry) => entry.id === id);
    if (found) keep(found);
    wear([material], id || undefined);
  };
  const copy = () => {
    const title = `${now?.title ?? 'Own treatment'}, changed`.slice(0, 80),
      made: Treatment = {
        schema: 1,
        title,
        kinds: [],
        channels: now?.channels ?? {},
        id: freeId(
          title,
          all.map(({ id }) => id),
          'treatment',
        ),
      };
    keep(made);
    wear([material], made.id);
  };
  const bring = (value: unknown) => {
    const treatment = parseTreatment(value);
    keep(treatment);
    wear([material], treatment.id);
  };
  return (
    <section className={`card ${styles.card}`} aria-label={`Treatment of ${material}`} data-treatment={now?.id ?? ''}>
      <div className={styles.row}>
        <NativeSelect
          size="xs"
          label="Treatment"
          className={styles.whole}
          value={said ?? ''}
          onChange={({ target: { value } }) => choose(value)}
          data={[
            { value: '', label: `By what it is: ${usual?.title ?? 'none'}` },
            { value: NO_TREATMENT, label: 'None' },
            ...all.map(({ id, title }) => ({ value: id, label: title })),
            ...(free.length
              ? [
                  {
                    group: 'Kept for all characters',
                    items: free.map(({ id, title }) => ({ value: id, label: title })),
                  },
                ]
              : []),
          ]}
        />
        <Button size="compact-sm" variant="default" onClick={copy}>
          {now ? 'Change a copy' : 'Make one'}
        </Button>
        <BringIn what="a treatment" size="compact-sm" onBring={bring} />
        {now && <ExportJson name={`${now.id}.treatment.json`} value={now} size="compact-sm" />}
      </div>
      {mine && (
        <OwnTreatment
          treatment={mine}
          change={keep}
          worn={Object.keys(worn).filter((name) => worn[name] === mine.id)}
          materials={materials.map((entry) => entry.name)}
          wear={(names) => {
            const left = Object.keys(worn).filter((name) => worn[name] === mine.id && !names.includes(name)),
              next = Object.fromEntries(Object.entries(worn).filter(([name]) => !left.includes(name)));
            for (const name of names) next[name] = mine.id;
            set('worn', Object.keys(next).length ? next : undefined);
          }}
          sameKind={{ kind: group, names: sameKind }}
        >
          <CopyPieces
            from={mine}
            others={own.filter(({ id }) => id !== mine.id) as Treatment[]}
            copy={(keys, ids) =>
              set(
                'own',
                own.map((entry) => (ids.includes(entry.id) ? withPieces(entry as Treatment, mine, keys) : entry)),
              )
            }
          />
          <KeepForAll treatment={mine} take={keep} />
        </OwnTreatment>
      )}
      <KeptList />
    </section>
  );
}
