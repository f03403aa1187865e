import type { Document } from '@gltf-transform/core';
import fc from 'fast-check';
import { describe, expect, it } from 'vitest';
import * as v from 'valibot';
import { floatsOf, listMorphNames, listParts } from '../character/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { testContext } from '../testing/context.ts';
import { sheetFigure } from '../testing/sheet-figure.ts';
import { flippedName, sideNaming, sideOf, wholeName } from './sides.ts';
import { joinHalves, splitMorphs } from './split.ts';
import { splitStep } from './split-step.ts';

const deltaOf = (document: Document, name: string): Float32Array => {
  const { prim, morphNames } = listParts(document)[0];
  return floatsOf(prim.listTargets()[morphNames.indexOf(name)].getAttribute('POSITION') as never);
};

describe('sides in names', () => {
  it('are found as words, letters and capitals, and in no word that only holds the letters', () => {
    for (const [name, side, other, whole] of [
      ['blink_l', 'left', 'blink_r', 'blink'],
      ['browUpLeft', 'left', 'browUpRight', 'browUp'],
      ['mouthSmile_R', 'right', 'mouthSmile_L', 'mouthSmile'],
      ['L_smile', 'left', 'R_smile', 'smile'],
      ['left brow', 'left', 'right brow', 'brow'],
      ['EyeBlinkR', 'right', 'EyeBlinkL', 'EyeBlink'],
      ['Smile.RIGHT', 'right', 'Smile.LEFT', 'Smile'],
      ['Lächeln', null, 'Lächeln', 'Lächeln'],
      ['eye_l_blink', 'left', 'eye_r_blink', 'eye_blink'],
      ['curl', null, 'curl', 'curl'],
      ['Upright', null, 'Upright', 'Upright'],
      ['rollerLifted', null, 'rollerLifted', 'rollerLifted'],
      ['笑顔', null, '笑顔', '笑顔'],
    ] as const)
      expect([sideOf(name), flippedName(name), wholeName(name)], name).toEqual([side, other, whole]);
  });
  it('are written as the character writes them', () => {
    expect(sideNaming(['jaw', 'blinkLeft', 'blinkRight'])('smile', 'right')).toBe('smileRight');
    expect(sideNaming(['blink_R', 'blink_L'])('smile', 'left')).toBe('smile_L');
    expect(sideNaming(['jaw'])('smile', 'right')).toBe('smile_r');
  });
});

describe('halves', () => {
  it('add up to the whole to the last bit, whatever the movement', () => {
    fc.assert(
      fc.property(
        fc.array(fc.float({ noNaN: true, noDefaultInfinity: true, min: -10, max: 10 }), { minLength: 9, maxLength: 9 }),
        (values) => {
          // Columns so near to the middle that shares between nothing and all are met.
          const { document, prim } = sheetFigure({ smile: () => [0, 0, 0] }, { columns: 2, rows: 1 }),
            narrow = floatsOf(prim.getAttribute('POSITION') as never).map((x, k) =>
              k % 3 ? x : x * 0.0013 * (1 + k / 9),
            );
          prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(narrow));
          const whole = Float32Array.from({ length: narrow.length }, (_, k) => values[k % 9]);
          prim.listTargets()[0].setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(whole));
          expect(splitMorphs(document, ['smile'])).toEqual(['smile_l', 'smile_r']);
          const [left, right] = [deltaOf(document, 'smile_l'), deltaOf(document, 'smile_r')];
          expect(left.map((x, k) => Math.fround(x + right[k]))).toEqual(whole.map((x) => x + 0));
          joinHalves(document, ['smile']);
          expect(deltaOf(document, 'smile')).toEqual(whole.map((x) => x + 0));
        },
      ),
      { numRuns: 60, seed: 18 },
    );
  });
  it('give way to each other within a narrow band, and share the middle evenly', () => {
    const { document } = sheetFigure({ smile: () => [0, 1, 0] }, { columns: 4, rows: 1 });
    splitMorphs(document, ['smile']);
    const row = (name: string) => [1, 4, 7, 10, 13].map((k) => deltaOf(document, name)[k]);
    expect([row('smile_l'), row('smile_r')]).toEqual([
      [0, 0, 0.5, 1, 1],
      [1, 1, 0.5, 0, 0],
    ]);
  });
});

describe('the step', () => {
  const run = (document: Document, settings: v.InferInput<typeof splitStep.settings>) =>
    splitStep.run(document, v.parse(splitStep.settings, settings), SHIPPED_TARGETS[0], testContext());
  it('splits in place, joins, and says what it can’t', async () => {
    const { document } = sheetFigure({
        jaw: () => [0, 1, 0],
        blinkLeft: (x) => [0, x, 0],
        blinkRight: (x) => [0, -x, 0],
        brow: () => [0, 1, 1],
        brow_l: () => [1, 0, 0],
      }),
      { findings } = await run(document, { names: ['jaw', 'brow'], join: ['blink', 'nose'] });
    expect(listMorphNames(document)).toEqual(['jaw_l', 'jaw_r', 'blink', 'brow', 'brow_l']);
    expect([...deltaOf(document, 'blink')].every((x) => x === 0)).toBe(true);
    expect(findings.map(({ code, where }) => [code, where])).toEqual([
      ['morphs.no-halves', 'nose'],
      ['morphs.half-there', 'brow'],
    ]);
  });
});
