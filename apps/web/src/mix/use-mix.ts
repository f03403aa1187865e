import {
  type BodyWanted,
  type Recipe,
  REGIONS,
  type Region,
  type RegionWeights,
  sharesOf,
  type Target,
} from '@dimetra/core';
import { useMemo } from 'react';
import { useCharactersQuery } from '../api/api.ts';
import { type MixPreview, useMixPreview } from '../figure/mix.ts';
import { settingsOf } from '../store/recipe-slice.ts';
import { useAppDispatch, useAppSelector } from '../store/store.ts';
import { useSettings } from '../store/use-settings.ts';
import { mixDrafted } from '../store/view-slice.ts';

const STEP = 'morphs.mix',
  BODY = 'morphs.body';
const NOBODY: readonly never[] = [];

/** The mix as the stage shows it, of what is set or still being dragged. */
export function useMix(sourceUrl: string | null, target: Target | undefined, wanted: boolean): MixPreview {
  const { data: cast = NOBODY } = useCharactersQuery(),
    recipe = useAppSelector((state) => state.recipe.recipe),
    draft = useAppSelector((state) => state.view.mixDraft),
    { with: people = NOBODY, softness = 1 } = settingsOf(recipe, STEP),
    stand = settingsOf(recipe, 'intake.stand'),
    on = recipe?.steps.find((step) => step.id === STEP)?.enabled !== false;
  const named = people.map(({ character, weights }, k) => ({
    id: character,
    name: cast.find((row) => row.revisionId === character)?.name ?? 'The other',
    weights: (draft?.[k] ?? weights) as RegionWeights,
  }));
  return useMixPreview(sourceUrl, stand, on ? named : NOBODY, softness, bodyOf(recipe, target), wanted);
}

/** The height and build that are asked for; null for none. */
function bodyOf(recipe: Recipe | null, target: Target | undefined): BodyWanted | null {
  const { heightCm = target?.body?.heightCm, build = target?.body?.build } = settingsOf(recipe, BODY);
  return recipe?.steps.find((step) => step.id === BODY)?.enabled === false || (heightCm === undefined && !build)
    ? null
    : { heightCm, build };
}

/** Who is mixed in and how much, and how to change it. */
export function useMixed() {
  const [settings, set] = useSettings(STEP),
    dispatch = useAppDispatch(),
    draft = useAppSelector((state) => state.view.mixDraft),
    people = settings.with ?? NOBODY;
  const weights = useMemo(
    () => people.map((person, k) => (draft?.[k] ?? person.weights) as RegionWeights),
    [people, draft],
  );
  const put = (next: readonly { character: string; weights: RegionWeights }[]) =>
    set('with', next.length ? next.map((each) => ({ ...each })) : undefined);
  return {
    people,
    weights,
    /** While a hand moves; `settled` makes it a decision. */
    drag: (region: Region | 'all', shares: readonly number[]) =>
      dispatch(mixDrafted(withShares(weights, region, shares))),
    settle: () => {
      if (draft) put(people.map(({ character }, k) => ({ character, weights: draft[k] ?? {} })));
      dispatch(mixDrafted(null));
    },
    share: (region: Region | 'all', shares: readonly number[]) => {
      const next = withShares(weights, region, shares);
      put(people.map(({ character }, k) => ({ character, weights: next[k] })));
    },
    all: (next: readonly RegionWeights[]) =>
      put(people.map(({ character }, k) => ({ character, weights: next[k] ?? {} }))),
    /** Someone else takes the place of another, with the same weights; nobody takes it away. */
    seat: (k: number, character: string | null) =>
      put(
        character === null
          ? people.filter((_, i) => i !== k).map((each) => ({ ...each, weights: each.weights as RegionWeights }))
          : k < people.length
            ? people.map((each, i) => ({
                character: i === k ? character : each.character,
                weights: each.weights as RegionWeights,
              }))
            : [
                ...people.map((each) => ({ ...each, weights: each.weights as RegionWeights })),
                { character, weights: { all: 0 } },
              ],
      ),
  };
}

const hundredths = (value: number): number => Math.round(Math.min(1, Math.max(0, value)) * 100) / 100;

/** Weights with other shares in one region; in the whole they become those everywhere. */
export function withShares(
  weights: readonly RegionWeights[],
  region: Region | 'all',
  shares: readonly number[],
): RegionWeights[] {
  return weights.map((of, k) =>
    region === 'all' ? { all: hundredths(shares[k] ?? 0) } : { ...of, [region]: hundredths(shares[k] ?? 0) },
  );
}

/** Shares of the own figure and all others in a region; in the whole the mean over the regions. */
export function everyShare(weights: readonly RegionWeights[], region: Region | 'all'): number[] {
  const list: readonly Region[] = region === 'all' ? REGIONS : [region],
    others = weights.map(
      (_, k) => list.reduce((sum, each) => sum + (sharesOf(weights, each)[k] ?? 0), 0) / list.length,
    );
  return [1 - others.reduce((sum, value) => sum + value, 0), ...others];
}
