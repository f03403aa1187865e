import { Button, TextInput } from '@mantine/core';
import {
  asJointPlans,
  figureOf,
  HUMANOID_ROLES,
  isHumanoidRole,
  isStatic,
  missingRoles,
  planFigure,
  planSkeleton,
  roleLabel,
  skeletonOf,
  skeletonRule,
  tiesTurnedOver,
} from '@dimetra/core';
import { useMemo, useState } from 'react';
import { FindingCard } from '../step/FindingCard.tsx';
import { Setting } from '../step/Setting.tsx';
import { StepHead } from '../step/StepHead.tsx';
import { useDesk } from '../stage/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { jointPicked } from '../store/view-slice.ts';
import { mirroredJoint, mirroredTarget, regionOf, REGIONS, weightShares, type Region } from './layout.ts';
import { Loom } from './Loom.tsx';
import { RememberTies } from './RememberTies.tsx';
import { StaticFigure } from './StaticFigure.tsx';
import { WhatCouldGo } from './WhatCouldGo.tsx';

/** Joints of the source tied to joints of the target. */
export function SkeletonBench() {
  const { character, figures, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const ties = useAppSelector((state) => settingsOf(state.recipe.recipe, 'skeleton.remap').ties ?? NO_TIES);
  const picked = useAppSelector((state) => state.view.joint);
  const [region, setRegion] = useState<Region>('all');
  const [filter, setFilter] = useState('');
  const [looseFirst, setLooseFirst] = useState(false);
  const document = figures.source?.document;
  const base = useMemo(() => {
    if (!document) return null;
    const skeleton = skeletonOf(document);
    return { skeleton, weights: weightShares(document, skeleton) };
  }, [document]);
  const figure = figureOf(target),
    { ends } = useAppSelector((state) => settingsOf(state.recipe.recipe, 'skeleton.remap'));
  const figurePlan = useMemo(
    () => (document && base && figure ? planFigure(document, figure, { ties, ends }, base.skeleton) : null),
    [document, base, figure, ties, ends],
  );
  const plans = useMemo(
    () =>
      figurePlan
        ? asJointPlans(figurePlan)
        : document && base
          ? planSkeleton(document, skeletonRule(target), ties, base.skeleton)
          : [],
    [document, base, target, ties, figurePlan],
  );
  const [mirror, setMirror] = useState(true);
  const [refused, setRefused] = useState<string | null>(null);
  if (!base || !document)
    return (
      <>
        <StepHead step="skeleton.remap" title="Skeleton" />
        <p className="quiet">Loading the figure …</p>
      </>
    );
  if (isStatic(target)) return <StaticFigure joints={base.skeleton.joints.length} />;
  if (!base.skeleton.joints.length)
    return (
      <>
        <StepHead step="skeleton.remap" title="Skeleton" />
        <p className="quiet">The character has no skeleton. Bring it in again together with its skeleton.</p>
      </>
    );
  const names = skeletonRule(target).names;
  const targets = figurePlan
    ? figurePlan.joints.map(({ role, name }) => ({ role, name }))
    : HUMANOID_ROLES.map((role) => ({ role: role as string, name: names[role] ?? role }));
  const putIn = figurePlan?.joints.filter((joint) => joint.from < 0) ?? [];
  const tie = (joint: string, name: string | undefined) => {
    const next = { ...ties },
      put = (from: string, to: string | undefined) => {
        if (to === undefined) delete next[from];
        else next[from] = to;
      };
    put(joint, name);
    const other = mirror ? mirroredJoint(base.skeleton, joint) : null,
      there = other && (name ? mirroredTarget(targets, name) : name);
    if (other && there !== null) put(other, there);
    const [turned] = tiesTurnedOver(character.revision.summary.joints, next, target);
    setRefused(turned?.message ?? null);
    if (!turned) dispatch(settingChanged({ step: 'skeleton.remap', setting: 'ties', value: next }));
  };
  const kept = plans.filter((plan) => plan.target !== null).length;
  const loose = plans.filter((plan) => plan.target === null).length;
  const guesses = plans.filter(
    (plan) => plan.target !== null && isHumanoidRole(plan.found.role) && plan.found.confidence < 0.6,
  ).length;
  const missing = missingRoles(plans.map((plan) => plan.found));
  const loss = base.weights.lossMm;
  const chosen = plans.find((plan) => base.skeleton.joints[plan.joint].getName() === picked);
  const visible = plans.filter(
    (plan) =>
      (region === 'all' || regionOf(plans, base.skeleton, plan.joint) === region) &&
      base.skeleton.joints[plan.joint].getName().toLowerCase().includes(filter.toLowerCase()),
  );
  if (looseFirst) visible.sort((a, b) => Number(a.target !== null) - Number(b.target !== null) || a.joint - b.joint);
  return (
    <>
      <StepHead step="skeleton.remap" title="Skeleton">
        {plans.length} joints become {kept}.{' '}
        {loose ? `${loose} let go: their weight moves to the joint above that stays.` : 'None is let go.'}{' '}
        {guesses ? `${guesses} are guesses.` : ''}{' '}
        {missing.length ? `Not found: ${missing.map(roleLabel).join(', ')}.` : 'Every required joint was found.'}{' '}
        {figure
          ? `${figure.title} has ${figurePlan?.joints.length} joints; ${putIn.length} of them the character lacks, placed by proportion.`
          : ''}
      </StepHead>
      <div className="row">
        {REGIONS.map((id) => (
          <Button
            key={id}
            size="compact-xs"
            variant={region === id ? 'filled' : 'default'}
            aria-pressed={region === id}
            onClick={() => setRegion(id)}
          >
            {id[0].toUpperCase() + id.slice(1)}
          </Button>
        ))}
        <Button
          size="compact-xs"
          variant={looseFirst ? 'filled' : 'default'}
          aria-pressed={looseFirst}
          onClick={() => setLooseFirst(!looseFirst)}
        >
          Loose first
        </Button>
        <Button
          size="compact-xs"
          variant={mirror ? 'filled' : 'default'}
          aria-pressed={mirror}
          onClick={() => setMirror(!mirror)}
          title="What is tied on one side is tied on the other"
        >
          Both sides
        </Button>
        {figure && (
          <span className="row whole">
            <Setting step="skeleton.remap" name="ends" />
            <Setting step="skeleton.remap" name="spread" />
          </span>
        )}
        <TextInput
          size="xs"
          ml="auto"
          w={140}
          placeholder="Filter"
          value={filter}
          onChange={(event) => setFilter(event.target.value)}
          data-filter
          aria-label="Filter joints"
        />
        {Object.keys(ties).length > 0 && (
          <Button
            size="compact-xs"
            variant="default"
            onClick={() => dispatch(settingChanged({ step: 'skeleton.remap', setting: 'ties', value: undefined }))}
          >
            Undo {Object.keys(ties).length} by hand
          </Button>
        )}
      </div>
      {refused && (
        <div className="card blocks" role="alert">
          <div className="top">
            <span>Not tied</span>
            <button type="button" className="crumb" onClick={() => setRefused(null)}>
              Close
            </button>
          </div>
          <p>{refused}</p>
        </div>
      )}
      <RememberTies ties={ties} targets={targets} />
      <WhatCouldGo
        document={document}
        skeleton={base.skeleton}
        plans={plans}
        lossMm={loss}
        ties={ties}
        limit={skeletonRule(target).maxJoints}
        onTies={(next) => dispatch(settingChanged({ step: 'skeleton.remap', setting: 'ties', value: next }))}
        onPick={(joint) => dispatch(jointPicked(joint))}
      />
      {chosen && (
        <div className="card ends">
          <span>
            <b className="num source">{picked}</b> →{' '}
            <b className="result">{chosen.target ?? `let go, weight to ${plans[chosen.into]?.target ?? 'none'}`}</b>{' '}
            <span className="quiet">
              {chosen.why}
              {chosen.target === null && loss ? ` · ${loss[chosen.joint].toFixed(1)} mm lost when it turns 20°` : ''}
            </span>
          </span>
          <span className="num nowrap">
            {chosen.found.confidence.toFixed(2)} · {base.weights.vertices[chosen.joint].toLocaleString('en-GB')}{' '}
            vertices
          </span>
        </div>
      )}
      <Loom
        plans={plans}
        visible={visible}
        skeleton={base.skeleton}
        shares={base.weights.share}
        targets={targets}
        putIn={putIn.map((joint) => joint.name)}
        picked={picked}
        onPick={(joint) => dispatch(jointPicked(joint))}
        onTie={tie}
        byHand={ties}
      />
      {run?.steps
        .find((step) => step.id === 'skeleton.remap')
        ?.findings.map((finding) => (
          <FindingCard key={finding.code + finding.where} finding={finding} />
        ))}
    </>
  );
}
const NO_TIES: Record<string, string> = {};
