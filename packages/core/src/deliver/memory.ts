import type { GLTF } from '@gltf-transform/core';
import type { Memory } from '../parity/index.ts';
import { codeOf, type Recipe, type RecipeRun, type RunOptions, type Source, stable, STEPS } from '../recipe/index.ts';
import { isStatic, type Target } from '../targets/index.ts';

/** What was measured before, where there is a store that keeps it. Keys say by which code. */
export function memoryOf({ context, store, code = codeOf }: RunOptions): Memory | undefined {
  if (!store?.recall || !store.remember) return undefined;
  const recall = store.recall.bind(store),
    remember = store.remember.bind(store),
    text = (value: string) => new TextEncoder().encode(value);
  const bytesOf = (content: string | ArrayBufferView): Uint8Array =>
    typeof content === 'string'
      ? text(content)
      : new Uint8Array(content.buffer, content.byteOffset, content.byteLength);
  return {
    key: (...content) =>
      context.hash(text([code('conclusion'), ...content.map((one) => context.hash(bytesOf(one)))].join('\n'))),
    recall,
    remember: (key, value) => remember(key, value, new Map()),
  };
}

/**
 * Stands for all that the shapes of source and result are measured from: both as they stand in the store without their
 * images, and what recipe and target say of steps that the source undergoes too. Nothing where the one or the other is not in
 * the store, and where the target poses the source.
 */
export function shapesKey(
  { source, target, recipe, code = codeOf }: RunOptions & { source: Source; target: Target; recipe: Recipe },
  { kept }: RecipeRun,
): string | undefined {
  if (!source.manifest || !kept || isStatic(target)) return undefined;
  const meant = STEPS.filter((step) => step.reference).map(({ id, reads }) => [
    code(id),
    recipe.steps.find((step) => step.id === id) ?? null,
    reads(target) ?? null,
  ]);
  return stable([withoutImages(source.manifest), withoutImages(kept.manifest), meant]);
}

/** The same names and places for images, without what they show. */
const withoutImages = (manifest: GLTF.IGLTF): unknown => ({
  ...manifest,
  images: manifest.images?.map(({ uri: _, ...image }) => image),
});
