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
    recall: (key) => recall(key),
    remember: (key, value) => remember(key, value, new Map()),
  };
}

/**
 * Stands for all that the shapes of source and result are measured from: both as they stand in the store without their
 * images, and what the recipe says of steps that the source undergoes too. Nothing where the one or the other is not in
 * the store, and where the target poses the source.
 */
export function shapesKey(
  { source, target, recipe, code = codeOf }: RunOptions & { source: Source; target: Target; recipe: Recipe },
  { kept }: RecipeRun,
): string | undefined {
  if (!source.manifest || !kept || isStatic(target)) return undefined;
  const meant = STEPS.filter((step) => step.reference).map(({ id }) => [
    code(id),
    recipe.steps.find((step) => step.id === id) ?? null,
  ]);
  return stable([shapesOf(source.manifest), shapesOf(kept.manifest), meant]);
}

/** A document as it stands in a store, without what its images show and without its clips; arrays by what they hold, since their order tells only how they came. */
function shapesOf({ accessors, bufferViews, buffers, animations: _, ...manifest }: GLTF.IGLTF): unknown {
  const view = (index: number | undefined) => {
    const found = bufferViews?.[index ?? -1];
    return found && { ...found, buffer: buffers?.[found.buffer].uri };
  };
  const array = (index: number | undefined) => {
    const found = accessors?.[index ?? -1],
      sparse = found?.sparse;
    return (
      found && {
        ...found,
        bufferView: view(found.bufferView),
        sparse: sparse && {
          ...sparse,
          indices: { ...sparse.indices, bufferView: view(sparse.indices.bufferView) },
          values: { ...sparse.values, bufferView: view(sparse.values.bufferView) },
        },
      }
    );
  };
  const named = (attributes: Record<string, number>) =>
    Object.fromEntries(Object.entries(attributes).map(([name, index]) => [name, array(index)]));
  return {
    ...manifest,
    images: manifest.images?.map(({ uri: _uri, ...image }) => image),
    skins: manifest.skins?.map((skin) => ({ ...skin, inverseBindMatrices: array(skin.inverseBindMatrices) })),
    meshes: manifest.meshes?.map(({ primitives, ...mesh }) => ({
      ...mesh,
      primitives: primitives.map((primitive) => ({
        ...primitive,
        indices: array(primitive.indices),
        attributes: named(primitive.attributes),
        targets: primitive.targets?.map(named),
      })),
    })),
  };
}
