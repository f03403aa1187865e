import { ActionIcon, Button } from '@mantine/core';
import { IconX } from '@tabler/icons-react';
import { parseTreatment, type Treatment } from '@dimetra/core';
import { sentenceOf, useKeepTreatmentMutation, useRemoveTreatmentMutation, useTreatmentsQuery } from '../api/api.ts';
import styles from './TreatmentCard.module.css';

/** Whatever the order in which their fields are written. */
const alike = (a: Treatment, b: Treatment): boolean =>
  JSON.stringify(parseTreatment(a)) === JSON.stringify(parseTreatment(b));

/** Keeps a treatment of one's own for all characters, or tells that it is kept, or kept otherwise. */
export function KeepForAll({ treatment, take }: { treatment: Treatment; take(kept: Treatment): void }) {
  const { data: kept = [] } = useTreatmentsQuery(),
    [keep, { error, isLoading }] = useKeepTreatmentMutation(),
    there = kept.find(({ id }) => id === treatment.id);
  return (
    <div className={styles.kept} role="status">
      {!there && (
        <Button size="compact-xs" variant="default" loading={isLoading} onClick={() => void keep(treatment)}>
          Keep for all characters
        </Button>
      )}
      {there && alike(there, treatment) && <span className="quiet">Kept for all characters.</span>}
      {there && !alike(there, treatment) && (
        <>
          <span className="quiet">Kept for all characters, and changed here.</span>
          <Button size="compact-xs" variant="default" loading={isLoading} onClick={() => void keep(treatment)}>
            Keep this one instead
          </Button>
          <Button size="compact-xs" variant="subtle" onClick={() => take(there)}>
            Take the kept one
          </Button>
        </>
      )}
      {error && <span className="bad">{sentenceOf(error)}</span>}
    </div>
  );
}

/** Treatments kept for all characters, each to be let go; recipes that wear one have their own copy. */
export function KeptList() {
  const { data: kept = [] } = useTreatmentsQuery(),
    [remove, { error }] = useRemoveTreatmentMutation();
  if (!kept.length) return null;
  return (
    <details className={styles.list}>
      <summary>
        {kept.length === 1 ? 'One treatment is' : `${kept.length} treatments are`} kept for all characters
      </summary>
      <ul>
        {kept.map(({ id, title }) => (
          <li key={id}>
            {title}
            <ActionIcon
              size="xs"
              variant="subtle"
              aria-label={`Keep “${title}” no longer`}
              title="Keep it no longer; recipes that wear it have their own copy"
              onClick={() => void remove(id)}
            >
              <IconX size={12} />
            </ActionIcon>
          </li>
        ))}
      </ul>
      {error && <span className="bad">{sentenceOf(error)}</span>}
    </details>
  );
}
