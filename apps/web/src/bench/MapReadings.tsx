import { SegmentedControl } from '@mantine/core';
import { type Finding, MAP_FAULTS, mapsOf } from '@dimetra/core';
import { useMemo } from 'react';
import type { LoadedFigure } from '../figure/load.ts';
import { useDesk } from '../stage/context.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import styles from './MapReadings.module.css';

const CODES: readonly string[] = MAP_FAULTS;
const NONE = {};
const CHOICES = [
  { value: 'found', label: 'As found' },
  { value: 'mend', label: 'Put right' },
  { value: 'keep', label: 'Leave' },
];

/** Findings on maps whose pixels contradict what they are used for: of the last run where there is one, else of the arrival. */
export function useMapReadings(): readonly Finding[] {
  const { character, run } = useDesk();
  return useMemo(() => {
    const read = (findings: readonly Finding[]) =>
        findings.filter((finding) => CODES.includes(finding.code) && finding.names?.map),
      arrived = read(character.revision.findings),
      done = read(run?.steps.find((step) => step.id === 'materials.channels')?.findings ?? []);
    // What was left as it came by hand is no finding of the run any more, and can still be decided otherwise.
    const known = new Set(done.map(keyOf));
    return [...done, ...arrived.filter((finding) => !known.has(keyOf(finding)))];
  }, [character, run]);
}
const keyOf = (finding: Finding): string => `${finding.code} ${finding.where} ${finding.names?.map}`;

/** How the maps of one material are read where their pixels say something else than the file: what tells it, both readings, and who decides. */
export function MapReadings({ material }: { material: string }) {
  const { figures } = useDesk(),
    readings = useMapReadings().filter((finding) => finding.where === material);
  if (!readings.length) return null;
  return (
    <>
      <h3>How its maps are read</h3>
      {readings.map((finding) => (
        <Reading
          key={keyOf(finding)}
          finding={finding}
          came={pictureOf(figures.source, material, finding.names?.channel)}
          read={pictureOf(figures.result, material, finding.names?.channel)}
        />
      ))}
    </>
  );
}

function Reading({ finding, came, read }: { finding: Finding; came: string | null; read: string | null }) {
  const file = finding.names?.map ?? '',
    decided = useAppSelector(
      (state) => settingsOf(state.recipe.recipe, 'materials.channels').decided ?? NONE,
    ) as Record<string, 'mend' | 'keep'>,
    [, set] = useSettings('materials.channels');
  const decide = (value: string) => {
    const { [file]: _, ...rest } = decided,
      next = value === 'found' ? rest : { ...rest, [file]: value as 'mend' | 'keep' };
    set('decided', Object.keys(next).length ? next : undefined);
  };
  return (
    <section className={`card ${styles.reading}`} data-reading={file} aria-label={`How ${file} is read`}>
      <p>{finding.message}</p>
      <div className={styles.pair}>
        <Picture hash={came} label="As it came" />
        <Picture hash={read} label="In the result" />
      </div>
      <SegmentedControl
        size="xs"
        fullWidth
        aria-label={`How ${file} is to be read`}
        data={CHOICES}
        value={decided[file] ?? 'found'}
        onChange={decide}
      />
    </section>
  );
}

function Picture({ hash, label }: { hash: string | null; label: string }) {
  return (
    <figure>
      {hash ? (
        <img src={`/api/v1/images/${hash}?max=256`} alt={label} loading="lazy" />
      ) : (
        <div className={styles.none} />
      )}
      <figcaption className="quiet">{hash ? label : `${label}: no map`}</figcaption>
    </figure>
  );
}

function pictureOf(
  figure: LoadedFigure | null | undefined,
  material: string,
  channel: string | undefined,
): string | null {
  const found = figure?.document
      .getRoot()
      .listMaterials()
      .find((entry) => entry.getName() === material),
    use = found && mapsOf(found).find((entry) => entry.channel === channel);
  return (use && figure?.imageOf.get(use.texture)) ?? null;
}
