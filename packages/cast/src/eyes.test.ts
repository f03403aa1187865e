import type { Document } from '@gltf-transform/core';
import {
  copyDocument,
  createDeformer,
  eyesStep,
  influencesMax,
  influencesOf,
  listParts,
  SHIPPED_TARGETS,
  standStep,
  takeOutPart,
  TriangleTree,
  weightSumError,
} from '@dimetra/core';
import { sharpCodec } from '@dimetra/platform';
import * as v from 'valibot';
import { describe, expect, it } from 'vitest';
import { context, useSmallCast } from './testing/small-cast.ts';

const cast = useSmallCast();
const [, headset] = SHIPPED_TARGETS;

/** Points of the parts of a kind, and a tree over them, in a morph. */
function surface(document: Document, kind: string, morph: string) {
  const deformer = createDeformer(document, (part) => part.kind === kind),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3), morph ? { [morph]: 1 } : {});
  return { positions, tree: new TriangleTree(positions, deformer.indices) };
}

describe('a line of water that was made', () => {
  it.each(['harbour-pilot', 'rescue-swimmer'] as const)(
    'lies where the one of the %s was, and goes where that went',
    async (who) => {
      const own = copyDocument(cast(who).read.document);
      if (standStep.applies(own, SHIPPED_TARGETS[0]))
        await standStep.run(own, v.parse(standStep.settings, {}), SHIPPED_TARGETS[0], context);
      const document = copyDocument(own);
      for (const part of listParts(document)) if (part.kind === 'tear') takeOutPart(part);
      const { findings } = await eyesStep.run(
        document,
        v.parse(eyesStep.settings, { tear: 'make', shade: 'leave' }),
        headset,
        { ...context, images: sharpCodec },
      );
      expect(findings.map(({ code, message }) => `${code} ${code === 'materials.eye-layer' ? '' : message}`)).toEqual([
        'materials.eye-layer ',
      ]);
      // As many joints as the target allows, and all of the weight.
      const line = listParts(document).find(({ kind }) => kind === 'tear'),
        influences = line && influencesOf(line.prim);
      if (!influences) throw new Error('it follows joints');
      expect(influencesMax(influences)).toBeLessThanOrEqual(headset.influences.max);
      expect(weightSumError(line.prim)).toBeLessThan(1e-6);
      for (const morph of ['', 'squint', 'eye_wide', 'blink']) {
        const was = surface(own, 'tear', morph),
          made = surface(document, 'tear', morph);
        let sum = 0;
        for (let i = 0; i < was.positions.length; i += 3)
          sum += made.tree.closest(was.positions[i], was.positions[i + 1], was.positions[i + 2]);
        const mm = (sum / (was.positions.length / 3)) * 1000;
        // Theirs hangs on the front of the lid, this one on its edge: a lid's thickness between them.
        expect(mm, `${who} ${morph}`).toBeLessThan(morph === 'blink' ? 2 : 1.5);
      }
    },
  );
});
