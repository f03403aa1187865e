import { Button } from '@mantine/core';
import { useState } from 'react';
import { Link, useNavigate, useParams } from 'react-router';
import { useTargetsQuery } from '../api/api.ts';
import { CompareWith } from '../shared/CompareWith.tsx';
import { PickList } from '../shared/PickList.tsx';
import { CompareTargets } from './CompareTargets.tsx';
import { LearnTarget } from './LearnTarget.tsx';
import { TargetEditor } from './TargetEditor.tsx';
import styles from './targets.module.css';

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
        <span className={styles.actions}>
          <Button component={Link} to="/figures" variant="default" size="compact-md">
            Figures
          </Button>
          <CompareWith rows={targets} open={chosen?.id} value={other} onChange={setOther} />
        </span>
      </header>
      <LearnTarget taken={targets.map((row) => row.id)} onLearned={(id) => navigate(`/targets/${id}`)} />
      <div className={styles.columns}>
        <PickList
          label="Targets"
          rows={targets.map(({ id, title, triangles }) => ({ id, title, count: triangles.max }))}
          chosen={chosen?.id}
          onPick={(id) => navigate(`/targets/${id}`)}
        />
        {chosen &&
          (beside ? (
            <CompareTargets a={chosen} b={beside} />
          ) : (
            <TargetEditor key={chosen.id} target={chosen} taken={targets.map((row) => row.id)} />
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
