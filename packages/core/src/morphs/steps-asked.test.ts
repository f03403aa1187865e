import * as v from 'valibot';
import { expect, it } from 'vitest';
import { EXPRESSION_SETS, SHIPPED_TARGETS } from '../targets/index.ts';
import { sheetFigure } from '../testing/sheet-figure.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { expressionsStep } from './expressions-step.ts';
import { mixStep } from './mix-step.ts';

const SET = EXPRESSION_SETS[0].id;

it('people are mixed where one of them has a weight', () => {
  const applies = (weights: Record<string, number>) =>
    mixStep.applies(
      stickFigure(),
      SHIPPED_TARGETS[0],
      v.parse(mixStep.settings, { with: [{ character: 'somebody', weights }] }),
    );
  expect([applies({ all: 0.4 }), applies({ all: 0 }), applies({})]).toEqual([true, false, false]);
});

it('a set of expressions is made where it is asked for and there is anything to make it of', () => {
  const applies = (document: ReturnType<typeof stickFigure>, settings: object) =>
    expressionsStep.applies(
      document,
      { ...SHIPPED_TARGETS[0], morphs: { ...SHIPPED_TARGETS[0].morphs, expressions: undefined } },
      v.parse(expressionsStep.settings, settings),
    );
  const bare = sheetFigure({}).document;
  expect([applies(stickFigure(), { set: SET }), applies(stickFigure(), {})]).toEqual([true, false]);
  expect([applies(bare, { set: SET }), applies(bare, { set: SET, from: 'somebody' })]).toEqual([false, true]);
});
