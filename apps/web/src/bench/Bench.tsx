import { lazy, Suspense, type ComponentType } from 'react';
import type { Station } from '@dimetra/core';
import { useDesk } from '../stage/context.ts';
import { CheckBench } from './CheckBench.tsx';
import { DeliverBench } from './DeliverBench.tsx';
import { IntakeBench } from './IntakeBench.tsx';
import { MaterialsBench } from './MaterialsBench.tsx';
import { MorphsBench } from './MorphsBench.tsx';
import { MotionBench } from './MotionBench.tsx';
import { QuietBench } from './QuietBench.tsx';
import { RestBench } from './RestBench.tsx';
import { ReduceBench } from './ReduceBench.tsx';
import { TexturesBench } from './TexturesBench.tsx';
import { WeightsBench } from './WeightsBench.tsx';

const SkeletonBench = lazy(async () => ({ default: (await import('../loom/SkeletonBench.tsx')).SkeletonBench }));

const BENCHES: Record<Station, ComponentType> = {
  intake: IntakeBench,
  skeleton: SkeletonBench,
  'rest-pose': RestBench,
  weights: WeightsBench,
  morphs: MorphsBench,
  fit: QuietBench,
  materials: MaterialsBench,
  textures: TexturesBench,
  reduce: ReduceBench,
  motion: MotionBench,
  check: CheckBench,
  deliver: DeliverBench,
};

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
        </Suspense>
      ) : (
        waiting
      )}
    </aside>
  );
}
