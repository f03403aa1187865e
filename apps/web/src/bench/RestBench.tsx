import { Button, SegmentedControl } from '@mantine/core';
import {
  armsDown,
  figureOf,
  jointRoles,
  quatAngle,
  quatConjugate,
  quatMultiply,
  REST_POSES,
  restDirections,
  roleIndex,
  skeletonOf,
  turnsToward,
  wantedRest,
  type RestPose,
} from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { useAppDispatch } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { clipChosen, jumped, lookChosen, RANGE, viewChosen } from '../store/view-slice.ts';
import { numbers } from '../shared/columns.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepHead } from '../step/StepHead.tsx';
import styles from './RestBench.module.css';

const NAMES: Record<RestPose, string> = {
  keep: 'As it comes',
  'arms-out': 'Arms out',
  'arms-down': 'Arms down 45°',
  figure: "The figure's",
};
const WHY = {
  better: 'Both ways are measured over the range of motion; the one that moves more like the source is taken.',
  exact: 'Posed back into the pose it came in, the mesh is what it was, to a hundredth of a millimetre.',
  forward: 'The mesh is what linear blending makes of it when the joints turn.',
};

/** What shows best whether a change of the rest pose did harm. */
const SHOWN = [
  { title: 'Play the range of motion', actions: [viewChosen('pair'), lookChosen('clay'), clipChosen(RANGE)] },
  { title: 'Hands in clay', actions: [viewChosen('pair'), lookChosen('clay'), jumped('hands')] },
  { title: 'What moved against the source', actions: [viewChosen('wipe'), lookChosen('deviation'), jumped('figure')] },
];

/** Which pose the mesh stands in when nothing poses it. */
export function RestBench() {
  const { figures, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const [settings, set] = useSettings('rest.convert');
  const figure = figureOf(target),
    wanted = wantedRest(target),
    pose = settings.pose ?? wanted,
    method = settings.method ?? 'better';
  const document = figures.source?.document;
  const now = useMemo(() => {
    if (!document) return null;
    const skeleton = skeletonOf(document),
      roles = roleIndex(jointRoles(document, skeleton));
    return { skeleton, roles, arms: armsDown(skeleton, roles) };
  }, [document]);
  const turning = useMemo(() => {
    const directions = now && restDirections(pose, target);
    if (!now || !directions) return [];
    const turns = turnsToward(now.skeleton, now.roles, directions);
    return [...now.roles]
      .map(([role, j]) => {
        const up = now.skeleton.parent[j],
          own = up < 0 ? turns[j] : quatMultiply(quatConjugate(turns[up]), turns[j]);
        return { role, joint: now.skeleton.joints[j].getName(), degrees: (quatAngle(own) * 180) / Math.PI };
      })
      .filter((row) => row.degrees > 0.2)
      .sort((x, y) => y.degrees - x.degrees);
  }, [now, pose, target]);
  const findings = run?.steps.find((step) => step.id === 'rest.convert')?.findings ?? [];
  return (
    <>
      <StepHead step="rest.convert" title="Rest pose">
        {now?.arms == null
          ? 'The arms were not found, so their pose is not known.'
          : `The arms hang ${now.arms.toFixed(0)}° below straight out.`}{' '}
        {wanted === 'keep'
          ? 'The target takes the pose as it comes.'
          : `The target wants ${wanted === 'figure' ? `the pose of ${figure?.title}` : NAMES[wanted].toLowerCase()}.`}
      </StepHead>
      {findings.map((finding) => (
        <FindingCard key={finding.code} finding={finding} />
      ))}
      <h3>
        Pose{' '}
        {settings.pose !== undefined && (
          <Button size="compact-xs" variant="default" onClick={() => set('pose', undefined)}>
            Back to the target's
          </Button>
        )}
      </h3>
      <SegmentedControl
        fullWidth
        size="xs"
        aria-label="Rest pose"
        value={pose}
        onChange={(value) => set('pose', value === wanted ? undefined : (value as RestPose))}
        data={REST_POSES.filter((id) => id !== 'figure' || figure).map((id) => ({
          value: id,
          label: id === 'figure' && figure ? figure.title : NAMES[id],
        }))}
      />
      <div className={styles.method}>
        <Setting step="rest.convert" name="method" />
      </div>
      <p className="quiet says">
        {WHY[method]} Morphs, normals, binds and clips go along; clips play what they played.
      </p>
      <h3>Joints that turn</h3>
      {turning.length ? (
        <DataTable
          label="Joints that turn"
          rows={turning.slice(0, 24)}
          keyOf={(row) => row.role}
          order={{ by: 'turn', desc: true }}
          columns={[
            { id: 'joint', head: 'Joint', by: (row) => row.joint, cellClass: 'num', cell: (row) => row.joint },
            numbers('turn', 'Turn', (row: (typeof turning)[number]) => row.degrees, {
              show: (degrees) => `${degrees.toFixed(1)}°`,
            }),
            {
              id: 'bar',
              head: '',
              className: styles.bars,
              cell: (row) => (
                <meter
                  className={styles.bar}
                  min={0}
                  max={90}
                  value={Math.min(90, row.degrees)}
                  aria-label={row.joint}
                />
              ),
            },
          ]}
        />
      ) : (
        <p className="quiet">None: the character stands in this pose already.</p>
      )}
      <h3>Look closely</h3>
      <div className="row">
        {SHOWN.map(({ title, actions }) => (
          <Button
            key={title}
            size="compact-xs"
            variant="default"
            onClick={() => actions.forEach((action) => dispatch(action))}
          >
            {title}
          </Button>
        ))}
      </div>
    </>
  );
}
