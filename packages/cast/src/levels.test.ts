import {
  checkFiles,
  convert,
  copyDocument,
  defaultRecipe,
  parseTarget,
  SHIPPED_TARGETS,
  type Target,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { createRunCodec } from '@dimetra/platform';
import { expect, it } from 'vitest';
import type { PersonId } from './index.ts';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast(),
  deck = SHIPPED_TARGETS.find(({ id }) => id === 'headset-deck') as Target;

/** People with levels and parts apart, the whole way: every model is what the report says, and the folder is one figure again. */
it.each<[PersonId, Target['package']['format'], Partial<Target['package']>]>([
  ['harbour-pilot', 'glb', { levelsIn: 'one' }],
  ['rescue-swimmer', 'gltf', { parts: 'each' }],
])('%s as .%s with %o', async (id, format, given) => {
  const target = parseTarget({
      ...deck,
      triangles: { max: 12_000 },
      package: {
        ...deck.package,
        format,
        levels: [
          { triangles: 7000, fromM: 5 },
          { triangles: 4500, fromM: 14, morphs: false },
        ],
        ...given,
      },
    }),
    done = await convert({
      name: id,
      source: { document: async () => copyDocument(cast(id).read.document) },
      target,
      recipe: defaultRecipe(),
      created: '2026-01-01',
      samples: 500,
      appearance: false,
      eyes: look,
      context: { ...context, images: createRunCodec() },
    }),
    files = done.made ?? [],
    { report, html } = done;
  const broken = (checks: typeof report.checks) =>
    checks
      .filter(({ rule, ok }) => !ok && /^(delivered|levels\.(triangles|shape))/.test(rule))
      .map(({ message }) => message);
  expect(broken(report.checks)).toEqual([]);
  const levels = report.levels ?? [];
  expect(levels.map(({ n, fromM }) => [n, fromM])).toEqual([
    [1, 5],
    [2, 14],
  ]);
  expect(levels[1].triangles).toBeLessThan(levels[0].triangles);
  expect(levels[0].triangles).toBeLessThan(report.result.triangles);
  expect(levels[1].morphs).toBe(0);
  expect(html).toContain('Levels of detail');
  const judged = await checkFiles(files, target, look);
  expect(judged.reported).toBe(true);
  expect(
    judged.checks.filter(({ rule, ok }) => !ok && rule.startsWith('delivered.')).map(({ message }) => message),
  ).toEqual([]);
  expect(judged.summary.triangles).toBe(report.result.triangles);
  // Everything that the manifest names is there.
  const { models } = done.sealed;
  expect(models?.length).toBeGreaterThan(2);
  for (const { path } of models ?? []) expect(files.map((file) => file.path)).toContain(path);
});
