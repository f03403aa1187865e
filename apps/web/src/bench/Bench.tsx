import { lazy, Suspense, type ComponentType } from 'react';
import { STEPS, type Station, type StepId } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { fieldsOf } from '../step/Setting.tsx';
import { StepCard } from '../step/StepCard.tsx';
import { CheckBench } from './CheckBench.tsx';
import { DeliverBench } from './DeliverBench.tsx';
import { IntakeBench } from './IntakeBench.tsx';
import { MaterialsBench } from './MaterialsBench.tsx';
import { MorphsBench } from './MorphsBench.tsx';
import { MotionBench } from './MotionBench.tsx';
import { RestBench } from './RestBench.tsx';
import { ReduceBench } from './ReduceBench.tsx';
import { TexturesBench } from './TexturesBench.tsx';
import { FitBench } from '../fit/FitBench.tsx';
import { WeightsBench } from './WeightsBench.tsx';

const SkeletonBench = lazy(async () => ({ default: (await import('../loom/SkeletonBench.tsx')).SkeletonBench }));

const BENCHES: Record<Station, ComponentType> = {
  intake: IntakeBench,
  skeleton: SkeletonBench,
  'rest-pose': RestBench,
  weights: WeightsBench,
  morphs: MorphsBench,
  fit: FitBench,
  materials: MaterialsBench,
  textures: TexturesBench,
  reduce: ReduceBench,
  motion: MotionBench,
  check: CheckBench,
  deliver: DeliverBench,
};

/** Steps whose settings a bench shows in its own way; every other one gets a card by itself. */
const SHOWN: ReadonlySet<string> = new Set<StepId>([
  'fit.skeleton',
  'fit.layout',
  'fit.wrap',
  'fit.pins',
  'fit.seat',
  'fit.morphs',
  'fit.follow',
  'fit.maps',
  'intake.leave-out',
  'intake.stand',
  'intake.find-maps',
  'intake.assemble',
  'materials.kinds',
  'weights.bind',
  'weights.transfer',
  'weights.mend',
  'weights.limit',
  'skeleton.remap',
  'skeleton.bake',
  'rest.convert',
  'morphs.carry',
  'morphs.expressions',
  'morphs.mirror',
  'morphs.mix',
  'morphs.body',
  'morphs.split',
  'morphs.fold',
  'morphs.drop',
  'morphs.name',
  'materials.channels',
  'materials.transparency',
  'textures.fit',
  'reduce.simplify',
]);

/**
 * The open station's decisions.
 * @param ready whether the recipe of this very conversion is here: a decision made before would be lost, or fall to another's
 * @param problem why it can't come
 */
export function Bench({ ready, problem }: { ready: boolean; problem?: string }) {
  const { open } = useDesk();
  const Open = BENCHES[open],
    waiting = (
      <p className="quiet" role={problem ? 'alert' : undefined}>
        {problem ? `The recipe can't be opened: ${problem}` : 'Opening …'}
      </p>
    );
  return (
    <aside className="bench" aria-label="Bench" aria-busy={!ready && !problem} key={open}>
      {ready ? (
        <Suspense fallback={waiting}>
          <Open />
          <OtherSteps />
        </Suspense>
      ) : (
        waiting
      )}
    </aside>
  );
}

/** Steps of the station without a place in its bench: those with settings, and those that the last run had use for. */
function OtherSteps() {
  const { open, run } = useDesk();
  return STEPS.filter(
    ({ id, station }) =>
      station === open &&
      !SHOWN.has(id) &&
      (fieldsOf(id as StepId).length > 0 || run?.steps.some((done) => done.id === id)),
  ).map(({ id }) => <StepCard key={id} step={id as StepId} />);
}
