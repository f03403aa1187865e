import {
  type HumanoidRole,
  lacksSkeleton,
  type Landmarks,
  partsToLeaveOut,
  placedJoints,
  placesOf,
  type Point,
  skeletonWanted,
  type Target,
} from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import { useCallback, useEffect, useMemo, useState } from 'react';
import { type FitPreview, lookForJoints } from '../figure/landmarks.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';

/** Joints of the source where it has none of its own; looked for while `wanted`. */
export function useFit(document: Document | undefined, target: Target | undefined, wanted: boolean): FitPreview {
  const [settings, set] = useSettings('fit.skeleton'),
    leftOut = useAppSelector((state) => settingsOf(state.recipe.recipe, 'intake.leave-out')),
    { donor } = useAppSelector((state) => settingsOf(state.recipe.recipe, 'weights.transfer')),
    [found, setFound] = useState<{ key: string; document: Document; landmarks: Landmarks } | null>(null),
    [error, setError] = useState<string | null>(null),
    [chosen, choose] = useState<HumanoidRole | null>(null),
    [held, setHeld] = useState<{ role: HumanoidRole; at: Point } | null>(null);
  const needed = useMemo(
      () => document !== undefined && target !== undefined && !donor && lacksSkeleton(document, target),
      [document, target, donor],
    ),
    figure = target && skeletonWanted(target, settings.figure),
    without = useMemo(
      () => JSON.stringify(needed && document ? [...partsToLeaveOut(document, leftOut).keys()] : []),
      [needed, document, leftOut],
    ),
    key = `${figure?.id} ${without}`;
  const here = found && found.document === document && found.key === key ? found.landmarks : null;
  // biome-ignore lint/correctness/useExhaustiveDependencies: the figure is said by its id, in the key
  useEffect(() => {
    if (!document || !figure || !needed || !wanted || here) return;
    let left = false;
    setError(null);
    const { found: looking, stop } = lookForJoints(
      document,
      new Set(JSON.parse(without) as string[]),
      placesOf(figure),
    );
    looking.then(
      (landmarks) => {
        if (!left) setFound({ key, document, landmarks });
      },
      (failure: Error) => {
        if (!left) setError(`Joints can't be looked for: ${failure.message}`);
      },
    );
    return () => {
      left = true;
      stop();
    };
  }, [document, key, needed, wanted, here]);
  const moved = settings.moved ?? NONE;
  const joints = useMemo(() => {
    if (!here || here.refused) return null;
    const placed = placedJoints(here, moved);
    return held ? placed.map((joint) => (joint.role === held.role ? { ...joint, at: held.at } : joint)) : placed;
  }, [here, moved, held]);
  const put = useCallback(
    (role: HumanoidRole, at: Point | null) => {
      setHeld(null);
      const { [role]: _, ...others } = moved,
        next = at ? { ...others, [role]: at.map((x) => Math.round(x * 1e5) / 1e5) as Point } : others;
      set('moved', Object.keys(next).length ? next : undefined);
    },
    [moved, set],
  );
  const hold = useCallback((role: HumanoidRole, at: Point) => setHeld({ role, at }), []);
  return useMemo(
    () => ({ needed, joints, found: here, error, chosen, choose, hold, put }),
    [needed, joints, here, error, chosen, hold, put],
  );
}
const NONE: NonNullable<Parameters<typeof placedJoints>[1]> = Object.freeze({});
