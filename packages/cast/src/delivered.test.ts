import { afterAll, describe, expect, it } from 'vitest';
import {
  defaultRecipe,
  finishDocument,
  judgeDelivery,
  modelFiles,
  runRecipe,
  SHIPPED_TARGETS,
  summarise,
  type Target,
  withFigure,
} from '@dimetra/core';
import { look } from '@dimetra/eyes';
import { PEOPLE } from './index.ts';
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
    const { figures, piece } = await smallBodies(),
      shipped = SHIPPED_TARGETS.find((entry) => entry.id === targetId) as Target,
      target = withFigure({ ...shipped, ...(shipped.fit && { fit: { ...shipped.fit, maps: 128 } }) }, figures),
      {
        read: { document: source, name },
      } = of(id);
    const document = await (
      await runRecipe({ document: async () => source }, target, RECIPE, { context: { ...context, piece } })
    ).document();
    await finishDocument(document, context);
    const summary = summarise(document, name, { seen: false });
    const { checks } = await judgeDelivery(
      { ...(await modelFiles(document, target, 'a')), document, summary, target },
      look,
    );
    const rules = checks.filter((check) => check.rule.startsWith('delivered.'));
    // And of a .vrm, what the open loader for it understands.
    expect(rules).toHaveLength(target.package.format === 'vrm' ? 13 : 12);
    expect(rules.filter((check) => !check.ok).map((check) => check.message)).toEqual([]);
  });
});

it('no step wrote into an array that it was given', () => {
  expect(watch.written).toEqual([]);
  expect(watch.watched()).toBeGreaterThan(1000);
});
