import { Button, NativeSelect, NumberInput } from '@mantine/core';
import {
  bendOf,
  figureOf,
  isStatic,
  type JointFound,
  type Point,
  SHIPPED_FIGURES,
  skeletonWanted,
} from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { DataTable } from '../shared/DataTable.tsx';
import { FindingCard } from '../step/FindingCard.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { useAppDispatch } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { clipChosen, jumped, lookChosen, RANGE, viewChosen } from '../store/view-slice.ts';
import styles from './FitBench.module.css';
import { OtherPolygons } from './OtherPolygons.tsx';

const HOW: Record<JointFound['how'], string> = {
  hand: 'put by hand',
  eyes: 'by the eyes',
  bend: 'where it bends',
  finger: 'along the finger',
  sections: 'by sections',
  'sections and proportion': 'sections, proportion',
  proportion: 'proportion alone',
};

/** A skeleton for a body that came without one, and the skin on another figure’s polygons. */
export function FitBench() {
  const { fit, target, run, figures } = useDesk();
  const findings = run?.steps.find((step) => step.id === 'fit.skeleton')?.findings ?? [];
  const [settings, set] = useSettings('fit.skeleton'),
    [{ donor }] = useSettings('weights.transfer');
  if (!figures.source)
    return (
      <>
        <StepHead title="Fit" />
        <p className="quiet">Loading the figure …</p>
      </>
    );
  if (!fit.needed)
    return (
      <>
        <StepHead title="Fit" />
        <p className="quiet">
          {isStatic(target)
            ? 'The target takes a static figure: it needs no skeleton.'
            : donor
              ? 'Joints and weights are taken from another character, as Weights says.'
              : 'The character came with a skeleton.'}
        </p>
        <OtherPolygons />
      </>
    );
  const wanted = skeletonWanted(target, settings.figure);
  return (
    <>
      <StepHead step="fit.skeleton" title="Fit">
        The character has no skeleton. Limbs, fingers and face are found in its shape, and the joints of {wanted.title}{' '}
        come to lie there; the mesh is bound to them at Weights.
      </StepHead>
      <NativeSelect
        size="xs"
        label="Joints of"
        value={settings.figure ?? ''}
        onChange={(event) => set('figure', (event.target.value || undefined) as typeof settings.figure)}
        data={[
          {
            value: '',
            label: figureOf(target)
              ? `${skeletonWanted(target).title}, as the target asks`
              : `${skeletonWanted(target).title}: the target names no figure`,
          },
          ...SHIPPED_FIGURES.map(({ id, title }) => ({ value: id, label: title })),
        ]}
      />
      {fit.error && <p role="alert">{fit.error}</p>}
      {!fit.found && !fit.error && (
        <p className="quiet" role="status">
          Looking for joints …
        </p>
      )}
      {fit.found?.refused && (
        <p role="alert">
          {fit.found.refused} Leave out what isn't part of the person at Intake, or take a skeleton from another
          character at Weights.
        </p>
      )}
      <div className={styles.findings}>
        {findings.map((finding) => (
          <FindingCard key={finding.code} finding={finding} />
        ))}
      </div>
      {fit.joints && <Joints joints={fit.joints} />}
      <OtherPolygons />
    </>
  );
}

function Joints({ joints }: { joints: readonly JointFound[] }) {
  const { fit } = useDesk();
  const dispatch = useAppDispatch();
  const chosen = joints.find(({ role }) => role === fit.chosen),
    assumed = joints.filter(({ how }) => how === 'proportion').length,
    columns = useMemo(
      () => [
        {
          id: 'joint',
          head: 'Joint',
          by: (row: JointFound) => bendOf(row.role),
          cell: (row: JointFound) => bendOf(row.role),
        },
        { id: 'how', head: 'Found', by: (row: JointFound) => HOW[row.how], cell: (row: JointFound) => HOW[row.how] },
        {
          id: 'sure',
          head: 'Sure',
          className: 'n',
          cellClass: 'num',
          by: (row: JointFound) => row.confidence,
          cell: (row: JointFound) => `${Math.round(row.confidence * 100)} %`,
        },
      ],
      [],
    );
  return (
    <>
      <p className="says">
        {joints.length} joints, {assumed ? `${assumed} of them by proportion alone` : 'all of them seen in the shape'}.
        Drag one on the stage to where it belongs, or choose it here.
      </p>
      {chosen && <Place joint={chosen} />}
      <DataTable
        label="Joints found"
        rows={joints}
        keyOf={(row) => row.role}
        order={{ by: 'sure' }}
        picked={fit.chosen}
        onPick={(row) => fit.choose(row.role)}
        columns={columns}
      />
      <h3>Look closely</h3>
      <div className="row">
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => {
            for (const action of [viewChosen('result'), lookChosen('clay'), clipChosen(RANGE)]) dispatch(action);
          }}
        >
          Play the range of motion
        </Button>
        <Button
          size="compact-xs"
          variant="default"
          onClick={() => {
            for (const action of [viewChosen('source'), lookChosen('clay'), jumped('hands')]) dispatch(action);
          }}
        >
          Hands in clay
        </Button>
      </div>
    </>
  );
}

const AXES = ['to its left', 'up', 'forward'] as const;

/** Where the chosen joint lies, in centimetres. */
function Place({ joint }: { joint: JointFound }) {
  const { fit } = useDesk();
  return (
    <section className="card" aria-label={`Place of the ${bendOf(joint.role)}`}>
      <div className="top">
        <span>{bendOf(joint.role)}</span>
        {joint.how === 'hand' && (
          <Button size="compact-xs" variant="default" onClick={() => fit.put(joint.role, null)}>
            Back to where it was found
          </Button>
        )}
      </div>
      <div className={styles.place}>
        {AXES.map((axis, k) => (
          <NumberInput
            key={axis}
            size="xs"
            label={`cm ${axis}`}
            step={0.5}
            decimalScale={2}
            value={Math.round(joint.at[k] * 1e4) / 100}
            onChange={(value) => {
              const now = Number(value) / 100;
              if (value === '' || !Number.isFinite(now) || Math.abs(now - joint.at[k]) < 5e-5) return;
              const at = [...joint.at] as Point;
              at[k] = now;
              fit.put(joint.role, at);
            }}
          />
        ))}
      </div>
    </section>
  );
}
