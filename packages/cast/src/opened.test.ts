import { convert, copyDocument, defaultRecipe, SHIPPED_TARGETS } from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { createRunCodec, sha256 } from '@dimetra/platform';
import { expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast();

it('opens no image twice in a run, and nobody writes into what was opened', async () => {
  const opened = new Map<string, number>(),
    codec = createRunCodec(undefined, (bytes) => {
      const key = sha256(bytes);
      opened.set(key, (opened.get(key) ?? 0) + 1);
    }),
    given = new Map<Uint8Array, string>(),
    images = {
      ...codec,
      decode: async (bytes: Uint8Array, size?: number) => {
        const pixels = await codec.decode(bytes, size);
        if (!given.has(pixels.data)) given.set(pixels.data, sha256(pixels.data));
        return pixels;
      },
    };
  await convert({
    name: 'Harbour pilot',
    source: { document: async () => copyDocument(cast('harbour-pilot').read.document) },
    target: SHIPPED_TARGETS[1],
    recipe: defaultRecipe(),
    created: '2026-01-01',
    samples: 500,
    eyes: look,
    context: { ...context, images },
  });
  expect(opened.size).toBeGreaterThan(10);
  expect([...opened.values()].filter((times) => times > 1)).toEqual([]);
  expect([...given].filter(([data, hash]) => sha256(data) !== hash)).toEqual([]);
});
