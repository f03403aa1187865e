import { compareCharacters, copyDocument, defaultRecipe, parseTarget, runRecipe, SHIPPED_TARGETS } from '@dimetra/core';
import { createRunCodec } from '@dimetra/platform';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast();
const [bridge] = SHIPPED_TARGETS;

/** Converts somebody for a target, and tells with which steps the heaviest places of three sides came. */
async function cameWith(change: object): Promise<(string | undefined)[]> {
  const source = cast('deckhand').read.document,
    images = createRunCodec(),
    { stages, document } = await runRecipe(
      { document: async () => copyDocument(source) },
      parseTarget({ ...bridge, ...change }),
      defaultRecipe(),
      { context: { ...context, images }, keepStages: true },
    ),
    { appearance } = await compareCharacters(source, await document(), {
      samples: 100,
      still: true,
      images,
      appearance: {
        nearestM: 0.4,
        only: ['figure, front', 'head, left'],
        stages,
        isHeavy: ({ weight }) => weight > 500,
      },
    });
  return (appearance.views ?? [])
    .flatMap((row) => row.converted.regions)
    .sort((a, b) => b.weight - a.weight)
    .slice(0, 2)
    .map(({ came }) => came?.step);
}

describe('places that look different', () => {
  it('say with which step they came: fewer triangles', async () => {
    expect(await cameWith({ triangles: { max: 1200 } })).toEqual(['reduce.simplify', 'reduce.simplify']);
  });
  it('or with another: this source was not stood on the floor, which is seen where nothing else differs', async () => {
    expect(await cameWith({})).toEqual(['intake.stand', 'intake.stand']);
  });
});
