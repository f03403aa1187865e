import { convert, copyDocument, defaultRecipe, parseTarget, SHIPPED_TARGETS } from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast();
const [bridge] = SHIPPED_TARGETS;

/** Runs somebody for a target that allows no place to look different, and tells with which steps the heaviest places came. */
async function cameWith(change: object): Promise<{ steps: string[]; messages: string[] }> {
  const target = parseTarget({ ...bridge, ...change, appearance: { ...bridge.appearance, changed: 20, other: 20 } }),
    { report } = await convert({
      name: 'Deckhand',
      source: { document: async () => copyDocument(cast('deckhand').read.document) },
      target,
      recipe: defaultRecipe(),
      created: '2026-01-01',
      samples: 300,
      eyes: look,
      context,
    });
  const regions = (report.parity.appearance.views ?? []).flatMap((row) => row.converted.regions);
  return {
    steps: regions.flatMap(({ came }) => came?.step ?? []),
    messages: report.checks.filter(({ rule }) => rule.startsWith('appearance.')).map(({ message }) => message),
  };
}

describe('places that look different', () => {
  it('say with which step they came: fewer triangles', async () => {
    const { steps, messages } = await cameWith({ triangles: { max: 2200 } });
    expect(steps.length).toBeGreaterThan(0);
    expect(new Set(steps)).toEqual(new Set(['reduce.simplify']));
    expect(messages.join(' ')).toContain(' It came with “Triangles to budget”.');
  });
  it('or with the maps as they are delivered', async () => {
    const { steps } = await cameWith({ textures: { ...bridge.textures, maxSize: 8 } });
    expect(steps.length).toBeGreaterThan(0);
    expect(steps[0]).toBe('deliver.finish');
  });
});
