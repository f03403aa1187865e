import { kindOfMorph, morphCosts, type MorphRow } from '@dimetra/core';
import { useMemo } from 'react';
import { useDesk } from '../stage/context.ts';
import { useSettings } from '../store/use-settings.ts';
import { decidedOf } from './decided.ts';

/** The character's morphs with what is known of each; null until the figure is there, where they were not looked at as it arrived. */
export function useMorphs(): readonly MorphRow[] | null {
  const { character, figures } = useDesk(),
    told = character.revision.summary.morphs,
    document = told ? undefined : figures.source?.document;
  return useMemo(
    () =>
      told ??
      (document
        ? morphCosts(document).map((cost) => ({
            ...cost,
            group: 'nowhere' as const,
            kind: kindOfMorph(cost.name, 'nowhere'),
            movesJoints: [],
          }))
        : null),
    [told, document],
  );
}

/** Settings of the station's steps, how to change each, and what they say of each morph. */
export function useMorphSettings() {
  const [fold, setFold] = useSettings('morphs.fold'),
    [drop, setDrop] = useSettings('morphs.drop'),
    [mirror, setMirror] = useSettings('morphs.mirror'),
    [split, setSplit] = useSettings('morphs.split'),
    [carry, setCarry] = useSettings('morphs.carry'),
    decided = useMemo(() => decidedOf({ fold, drop, mirror, split, carry }), [fold, drop, mirror, split, carry]);
  return { fold, setFold, drop, setDrop, mirror, setMirror, split, setSplit, carry, setCarry, decided };
}
