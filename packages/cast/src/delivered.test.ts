import { afterAll, describe, expect, it } from 'vitest';
import {
  defaultRecipe,
  finishDocument,
  isCompressed,
  judgeDelivery,
  modelFiles,
  renameForDelivery,
  runRecipe,
  SHIPPED_TARGETS,
  summarise,
  type Target,
  withFigure,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { PEOPLE, type PersonId } from './index.ts';
import { smallBodies } from './testing/small-bodies.ts';
import { context, useSmallCast } from './testing/small-cast.ts';
import { watchSteps } from './testing/watch-steps.ts';

const of = useSmallCast();

/** No step may write into what it was given. */
const watch = watchSteps();
afterAll(watch.stop);

/** What is delivered is looked at here, not how closely a skin was laid on: that is done quickly. */
const RECIPE = {
  ...defaultRecipe(),
  steps: defaultRecipe().steps.map((step) =>
    step.id === 'fit.wrap' ? { ...step, settings: { detail: 'quick' } } : step,
  ),
};

/** Everybody as they arrive, for every target we ship, opened again by code that shares nothing with ours. */
describe.each(PEOPLE.map((person) => person.id))('%s, delivered', (id) => {
  it.each(SHIPPED_TARGETS.map((entry) => entry.id))('for %s is what the report says', async (targetId) => {
    const { rules, format } = await delivered(id, SHIPPED_TARGETS.find((entry) => entry.id === targetId) as Target);
    // And of a .vrm, what the open loader for it understands.
    expect(rules).toHaveLength(format === 'vrm' ? 13 : 12);
    expect(rules.filter((check) => !check.ok).map((check) => check.message)).toEqual([]);
  });
});

/** Formats that no shipped target asks for, and names by patterns. */
it.each([
  ['harbour-pilot', 'dae'],
  ['rescue-swimmer', 'dae'],
  ['rescue-swimmer', 'usda'],
  ['harbour-pilot', 'obj'],
] as const)('%s as .%s under other names is what the report says', async (id, format) => {
  const [first] = SHIPPED_TARGETS,
    names = { part: '{kind}_{name}', material: 'M_{n}', map: 'T_{name}' },
    { rules, materials } = await delivered(id, { ...first, package: { ...first.package, format, names } });
  expect(rules).toHaveLength(12);
  expect(rules.filter((check) => !check.ok).map((check) => check.message)).toEqual([]);
  expect(materials.every((name) => /^M_\d\d$/.test(name))).toBe(true);
});

/** Arrays stored with losses: what that changed is among the rules, and the other loader finds the rest as ever. */
it.each([
  ['harbour-pilot', 'quantised', 'glb'],
  ['rescue-swimmer', 'meshopt', 'gltf'],
  ['crane-operator', 'draco', 'glb'],
] as const)('%s, %s, as .%s is what the report says', async (id, compression, format) => {
  const [first] = SHIPPED_TARGETS,
    { rules } = await delivered(id, { ...first, package: { ...first.package, format, compression } });
  expect(rules).toHaveLength(16);
  expect(rules.filter((check) => !check.ok).map((check) => check.message)).toEqual([]);
});

async function delivered(id: PersonId, shipped: Target) {
  const { figures, piece } = await smallBodies(),
    target = withFigure({ ...shipped, ...(shipped.fit && { fit: { ...shipped.fit, maps: 128 } }) }, figures),
    {
      read: { document: source, name },
    } = of(id),
    document = await (
      await runRecipe({ document: async () => source }, target, RECIPE, { context: { ...context, piece } })
    ).document();
  if (target.package.names) renameForDelivery(document, target, name);
  await finishDocument(document, context);
  const summary = summarise(document, name, { seen: false }),
    { checks } = await judgeDelivery(
      { ...(await modelFiles(document, target, 'a')), document, summary, target, compressed: isCompressed(target) },
      look,
    );
  return {
    rules: checks.filter((check) => check.rule.startsWith('delivered.')),
    format: target.package.format,
    materials: summary.materials.map((material) => material.name),
  };
}

it('no step wrote into an array that it was given', () => {
  expect(watch.written).toEqual([]);
  expect(watch.watched()).toBeGreaterThan(1000);
});
