import { Button, TextInput } from '@mantine/core';
import { HUMANOID_ROLES, isHumanoidRole, missingRoles, planSkeleton, roleLabel, skeletonOf, skeletonRule } from '@dimetra/core';
import { useMemo, useState } from 'react';
import { FindingCard } from '../bench/FindingCard.tsx';
import { StepHead } from '../bench/StepHead.tsx';
import { useDesk } from '../desk/context.ts';
import { settingChanged, settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { jointPicked } from '../store/view-slice.ts';
import { regionOf, REGIONS, weightShares, type Region } from './layout.ts';
import { Loom } from './Loom.tsx';

/** Joints of the source tied to joints of the target. */
export function SkeletonBench() {
  const { figures, target, run } = useDesk();
  const dispatch = useAppDispatch();
  const ties = useAppSelector((state) => (settingsOf(state.recipe.recipe, 'skeleton.remap').ties ?? NO_TIES) as Record<string, string>);
  const picked = useAppSelector((state) => state.view.joint);
  const [region, setRegion] = useState<Region>('all');
  const [filter, setFilter] = useState('');
  const [looseFirst, setLooseFirst] = useState(false);
  const document = figures.source?.document;
  const base = useMemo(() => { if (!document) return null; const skeleton = skeletonOf(document); return { skeleton, weights: weightShares(document, skeleton) }; }, [document]);
  const plans = useMemo(() => (document && base ? planSkeleton(document, skeletonRule(target), ties, base.skeleton) : []), [document, base, target, ties]);
  if (!base || !document) return <><StepHead step="skeleton.remap" title="Skeleton" /><p className="quiet">Loading the figure …</p></>;
  if (!base.skeleton.joints.length) return <><StepHead step="skeleton.remap" title="Skeleton" /><p className="quiet">The character has no skeleton. Bring it in again together with its skeleton.</p></>;
  const names = skeletonRule(target).names;
  const targets = HUMANOID_ROLES.map((role) => ({ role, name: names[role] ?? role }));
  const tie = (joint: string, name: string | undefined) => { const { [joint]: _, ...rest } = ties; dispatch(settingChanged({ step: 'skeleton.remap', setting: 'ties', value: name === undefined ? rest : { ...rest, [joint]: name } })); };
  const kept = plans.filter((plan) => plan.target !== null).length;
  const loose = plans.filter((plan) => plan.target === null).length;
  const guesses = plans.filter((plan) => plan.target !== null && isHumanoidRole(plan.found.role) && plan.found.confidence < 0.6).length;
  const missing = missingRoles(plans.map((plan) => plan.found));
  const chosen = plans.find((plan) => base.skeleton.joints[plan.joint].getName() === picked);
  const visible = plans.filter((plan) => (region === 'all' || regionOf(plans, base.skeleton, plan.joint) === region) && base.skeleton.joints[plan.joint].getName().toLowerCase().includes(filter.toLowerCase()));
  if (looseFirst) visible.sort((a, b) => Number(a.target !== null) - Number(b.target !== null) || a.joint - b.joint);
  return (
    <>
      <StepHead step="skeleton.remap" title="Skeleton">{plans.length} joints become {kept}. {loose ? `${loose} let go: their weight moves to the joint above that stays.` : 'None is let go.'} {guesses ? `${guesses} are guesses.` : ''} {missing.length ? `Not found: ${missing.map(roleLabel).join(', ')}.` : 'Every required joint was found.'}</StepHead>
      <div style={{ display: 'flex', gap: 6, flexWrap: 'wrap', marginBottom: 6 }}>
        {REGIONS.map((id) => <Button key={id} size="compact-xs" variant={region === id ? 'filled' : 'default'} aria-pressed={region === id} onClick={() => setRegion(id)}>{id[0].toUpperCase() + id.slice(1)}</Button>)}
        <Button size="compact-xs" variant={looseFirst ? 'filled' : 'default'} aria-pressed={looseFirst} onClick={() => setLooseFirst(!looseFirst)}>Loose first</Button>
        <TextInput size="xs" ml="auto" w={140} placeholder="Filter" value={filter} onChange={(event) => setFilter(event.target.value)} data-filter aria-label="Filter joints" />
        {Object.keys(ties).length > 0 && <Button size="compact-xs" variant="default" onClick={() => dispatch(settingChanged({ step: 'skeleton.remap', setting: 'ties', value: undefined }))}>Undo {Object.keys(ties).length} by hand</Button>}
      </div>
      {chosen && <div className="card" style={{ display: 'flex', justifyContent: 'space-between', gap: 10, alignItems: 'center' }}><span><b className="num source">{picked}</b> → <b className="result">{chosen.target ?? `let go, weight to ${plans[chosen.into]?.target ?? 'none'}`}</b> <span className="quiet">{chosen.why}</span></span><span className="num" style={{ whiteSpace: 'nowrap' }}>{chosen.found.confidence.toFixed(2)} · {base.weights.vertices[chosen.joint].toLocaleString('en-GB')} vertices</span></div>}
      <Loom plans={plans} visible={visible} skeleton={base.skeleton} shares={base.weights.share} targets={targets} picked={picked} onPick={(joint) => dispatch(jointPicked(joint))} onTie={tie} byHand={ties} />
      {run?.steps.find((step) => step.id === 'skeleton.remap')?.findings.map((finding) => <FindingCard key={finding.code + finding.where} finding={finding} />)}
    </>
  );
}
const NO_TIES: Record<string, string> = {};
