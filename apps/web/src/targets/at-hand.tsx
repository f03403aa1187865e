import { Anchor, NativeSelect } from '@mantine/core';
import type { CharacterDetail, CharacterRow, RunDetail, TargetRow } from '@dimetra/contract';
import { type Effect, effectsOf, type Target } from '@dimetra/core';
import { createContext, type ReactNode, useContext, useMemo, useState } from 'react';
import { Link } from 'react-router';
import { useCharacterQuery, useCharactersQuery, useRunQuery, useTargetsQuery } from '../api/api.ts';
import { differsFrom } from './differs-from.ts';
import styles from './targets.module.css';

interface Hand {
  character: CharacterDetail | undefined;
  effects: Record<string, Effect>;
  checks: NonNullable<RunDetail['checks']>;
  target: Target;
  copyOf: TargetRow | undefined;
}
const HandContext = createContext<Hand | null>(null);

/** Which rule of a run says how far a field's limit was used. */
const RULE_OF: Record<string, string> = {
  'triangles.max': 'triangles.max',
  'influences.max': 'influences.max',
  'materials.max': 'materials.max',
  'morphs.max': 'morphs.max',
  'joints.max': 'joints.max',
  restPose: 'rest.pose',
  'heightCm.min': 'stance.height',
  'textures.maxSize': 'textures.size',
  'textures.maxMemoryMB': 'textures.memory',
  'textures.formats': 'textures.format',
  'package.maxMB': 'package.size',
  'parity.restRmsMm': 'parity.rest',
  'parity.partRmsMm': 'parity.part',
  'parity.skinCm2': 'parity.skin',
  'parity.poseRmsMm': 'parity.pose',
  'parity.poseMaxMm': 'parity.pose-max',
  'appearance.other': 'appearance.other',
  'appearance.changed': 'appearance.changed',
  'appearance.drawn': 'appearance.drawn',
  'appearance.cover': 'appearance.cover',
};

/** The character that every field of a target speaks of, and the line to choose it by. */
export function AtHand({ target, children }: { target: Target; children: ReactNode }) {
  const { data: cast = [], isLoading } = useCharactersQuery(),
    { data: targets = [] } = useTargetsQuery(),
    [chosen, setChosen] = useState<string | null>(null),
    row = cast.find(({ id }) => id === chosen) ?? cast.find((one) => lastRun(one, target.id)) ?? cast[0],
    runId = row && lastRun(row, target.id),
    { data: character } = useCharacterQuery(row?.id ?? '', { skip: !row }),
    { data: run } = useRunQuery(runId ?? '', { skip: !runId });
  const hand = useMemo(
    (): Hand => ({
      character: row && character?.id === row.id ? character : undefined,
      effects: row && character?.id === row.id ? effectsOf(target, character.revision.summary) : {},
      checks: (runId && run?.id === runId && run.checks) || [],
      target,
      copyOf: targets.find(({ id }) => id === target.origin?.copyOf),
    }),
    [row, character, run, runId, target, targets],
  );
  return (
    <HandContext value={hand}>
      <section className={`card ${styles.rows} ${styles.hand}`} aria-label="Character at hand">
        {row ? (
          <NativeSelect
            label="What this does to"
            value={row.id}
            onChange={(event) => setChosen(event.target.value)}
            data={cast.map(({ id, name }) => ({ value: id, label: name }))}
            description={
              <>
                {runId ? (
                  <>
                    Measured numbers are those of{' '}
                    <Anchor component={Link} to={`/c/${row.id}/${target.id}/check`} inherit>
                      its last run
                    </Anchor>
                    .
                  </>
                ) : (
                  'It was not run for this target yet: what only a run can measure is left out.'
                )}
                {hand.copyOf && ` A copy of ${hand.copyOf.title}: what is otherwise there says so.`}
              </>
            }
          />
        ) : (
          <span className="quiet" role="status">
            {isLoading ? 'Loading the cast …' : 'Bring in a character, and every field says what it will do to it.'}
          </span>
        )}
      </section>
      {children}
    </HandContext>
  );
}

const lastRun = (row: CharacterRow, targetId: string): string | null =>
  row.conversions.find((entry) => entry.targetId === targetId && entry.state === 'done')?.runId ?? null;

/** The character that fields speak of. */
export const useCharacterAtHand = (): CharacterDetail | undefined => useContext(HandContext)?.character;

/** What there is to say behind a field, by its path; for `description` of a field. */
export function useSaid(): (field: string) => { description?: ReactNode } {
  const hand = useContext(HandContext);
  return (field) => {
    if (!hand) return {};
    const effect = hand.effects[field],
      check = hand.checks.find(({ rule }) => rule === RULE_OF[field]),
      learned = hand.target.origin?.learned?.[field],
      other = hand.copyOf && differsFrom(hand.target, hand.copyOf, field);
    if (!effect && !check && !learned && other === undefined) return {};
    return {
      description: (
        <>
          {effect && (
            <span data-effect={field} data-tone={effect.tone} className={styles[effect.tone]}>
              {effect.says}
            </span>
          )}
          {check && (
            <span className={check.ok ? '' : styles.breaks} data-measured={field}>
              {effect ? ' · ' : ''}
              last {typeof check.measured === 'number' ? check.measured.toLocaleString('en-GB') : check.measured}
              {check.unit && ` ${check.unit}`}
            </span>
          )}
          {learned && <span className={styles.from}>Sample: {learned}</span>}
          {other !== undefined && (
            <span className={styles.from}>
              {hand.copyOf?.title}: {other}
            </span>
          )}
        </>
      ),
    };
  };
}
