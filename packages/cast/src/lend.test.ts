import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import {
  copyDocument,
  createDeformer,
  expressionsStep,
  listMorphNames,
  listParts,
  morphNamesOf,
  SHIPPED_TARGETS,
} from '@dimetra/core';
import * as v from 'valibot';
import { toCorvane } from './corvane.ts';
import { buildPerson, type PersonId, personById } from './index.ts';
import { context, useSmallCast } from './testing/small-cast.ts';
import { writeFigure } from './write.ts';

const cast = useSmallCast();
const [target] = SHIPPED_TARGETS;
const LENT = ['smile', 'frown', 'brow_up', 'pucker', 'blink_l', 'jaw_open', 'sneer', 'cheek_puff'];
/** So many polygons that lids are still lids. */
const LIDS = 2.5;
const SET = {
  schema: 1 as const,
  id: 'a-few',
  title: 'A few',
  entries: LENT.map((name) => ({ name })),
};

/** Somebody of the cast who has lost those expressions. */
function without(who: 'deckhand' | 'crane-operator'): Document {
  const document = copyDocument(cast(who).read.document);
  for (const { mesh, prim } of listParts(document)) {
    const names = morphNamesOf(mesh);
    prim.listTargets().forEach((morph, i) => {
      if (LENT.includes(names[i])) prim.removeTarget(morph);
    });
  }
  for (const mesh of document.getRoot().listMeshes()) {
    const names = morphNamesOf(mesh).filter((name) => !LENT.includes(name));
    mesh.setWeights([]).setExtras({ ...mesh.getExtras(), targetNames: names });
  }
  return document;
}

const run = (
  document: Document,
  more: Record<string, unknown> = {},
  from: PersonId | Document = 'harbour-pilot',
  progress: (message: string) => void = () => {},
  signal?: AbortSignal,
) =>
  expressionsStep.run(document, v.parse(expressionsStep.settings, { set: SET, from: 'the other', ...more }), target, {
    ...context,
    signal,
    progress: (_: number, message?: string) => progress(message ?? ''),
    character: async (name: string) => ({
      document: typeof from === 'string' ? cast(from).read.document : from,
      name,
    }),
  });

/** Movements of every vertex of the parts of the face by a morph, millimetres, in the order both have. */
function movements(document: Document, name: string): { by: Map<string, Float32Array>; rest: Float32Array } {
  const deformer = createDeformer(document),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    moved = deformer.evaluate(new Float32Array(rest.length), { [name]: 1 });
  return {
    rest,
    by: new Map(
      deformer.ranges.map(({ part, firstVertex, vertices }) => [
        part.id,
        moved
          .subarray(firstVertex * 3, (firstVertex + vertices) * 3)
          .map((x, i) => (x - rest[firstVertex * 3 + i]) * 1000),
      ]),
    ),
  };
}

/**
 * How far apart two morphs are, millimetres: the mean over the skin that any of the lent ones moves, and the sum as a share of
 * what the true one moves.
 */
function apart(truth: Document, made: Document, name: string) {
  const [a, b] = [movements(truth, name).by, movements(made, name).by],
    face = faceOf(truth);
  let sum = 0,
    count = 0,
    size = 0;
  for (const [part, moves] of face) {
    const [one, two] = [a.get(part) as Float32Array, b.get(part) as Float32Array];
    for (let v = 0; v < moves.length; v++) {
      if (!moves[v]) continue;
      const i = v * 3;
      count++;
      size += Math.hypot(one[i], one[i + 1], one[i + 2]);
      sum += Math.hypot(one[i] - two[i], one[i + 1] - two[i + 1], one[i + 2] - two[i + 2]);
    }
  }
  expect(count).toBeGreaterThan(800);
  return { mean: sum / count, share: sum / size };
}

/** Vertices of skin and lips that any of the lent ones moves, by part. */
function faceOf(truth: Document): Map<string, Uint8Array> {
  const out = new Map<string, Uint8Array>();
  for (const name of LENT)
    for (const part of listParts(truth)) {
      if (!['skin', 'lips'].includes(part.kind)) continue;
      const moved = movements(truth, name).by.get(part.id) as Float32Array,
        marks = out.get(part.id) ?? new Uint8Array(moved.length / 3);
      out.set(part.id, marks);
      for (let v = 0; v < marks.length; v++)
        if (Math.hypot(moved[v * 3], moved[v * 3 + 1], moved[v * 3 + 2]) > 0.05) marks[v] = 1;
    }
  return out;
}

describe('expressions lent by another figure', () => {
  for (const who of ['deckhand', 'crane-operator'] as const)
    it(`are the ${who}’s own to a millimetre in the mean on the face`, async () => {
      const document = without(who),
        others = listMorphNames(document),
        { findings, measures } = await run(document),
        truth = cast(who).read.document;
      expect(findings.map(({ code }) => code)).toEqual(['morphs.expression-other']);
      expect(measures.find(({ code }) => code === 'expressions')?.result).toBe(LENT.length);
      // Under their own names, in front of what was there, and nothing else came.
      expect(listMorphNames(document)).toEqual([...LENT, ...others]);
      for (const name of LENT) expect(apart(truth, document, name).mean).toBeLessThan(1);
      for (const name of ['smile', 'jaw_open', 'pucker']) expect(apart(truth, document, name).share).toBeLessThan(0.3);
      // What is in the mouth and on the lids comes too.
      const lent = movements(document, 'jaw_open').by,
        parts = listParts(document);
      for (const kind of ['teeth', 'tongue'])
        expect(
          parts.some((part) => part.kind === kind && (lent.get(part.id) as Float32Array).some((x) => Math.abs(x) > 3)),
        ).toBe(true);
      const shut = movements(document, 'blink_l').by;
      expect(
        parts.some((part) => part.kind === 'lash' && (shut.get(part.id) as Float32Array).some((x) => Math.abs(x) > 2)),
      ).toBe(true);
    });
  it('are no more than what is missing, halves and sums among them, and nothing where the other has none', async () => {
    const document = without('deckhand'),
      set = {
        ...SET,
        entries: [
          { name: 'wide', means: 'eye_wide' as const },
          { name: 'smirk', means: 'smile' as const, side: 'left' as const },
          { name: 'no such thing' },
        ],
      },
      { findings } = await run(document, { set, others: false });
    expect(listMorphNames(document)).toEqual(['wide', 'smirk']);
    expect(findings.map(({ code }) => code)).toContain('morphs.expressions-missing');
    const smirk = movements(document, 'smirk');
    let left = 0,
      right = 0;
    createDeformer(document).ranges.forEach(({ part, firstVertex, vertices }) => {
      const moved = smirk.by.get(part.id) as Float32Array;
      for (let v = 0; v < vertices; v++) {
        const far = Math.hypot(moved[v * 3], moved[v * 3 + 1], moved[v * 3 + 2]);
        if (smirk.rest[(firstVertex + v) * 3] > 0.01) left = Math.max(left, far);
        if (smirk.rest[(firstVertex + v) * 3] < -0.01) right = Math.max(right, far);
      }
    });
    expect(left).toBeGreaterThan(2);
    expect(right).toBeLessThan(0.2);
    expect(
      (await run(without('deckhand'), { set: { ...SET, entries: [{ name: 'no such thing' }] } })).findings[0].code,
    ).toBe('morphs.lender-has-none');
  });
  it('come from a figure of other polygons too, which is laid on this one first', async () => {
    const document = without('deckhand'),
      lender = writeFigure(
        buildPerson({ ...personById('harbour-pilot'), figure: 'Corvane' }, { coarse: LIDS, progress() {} }),
        new Map(),
        new Map(),
        'Harbour pilot',
      ),
      said: string[] = [];
    toCorvane(lender);
    const { findings } = await run(document, {}, lender, (message) => said.push(message)),
      truth = cast('deckhand').read.document;
    expect(findings.map(({ code }) => code)).toEqual(['morphs.lender-other-polygons', 'morphs.expression-other']);
    expect(findings[0].measured).toBeLessThan(1);
    expect(said.length).toBeGreaterThan(5);
    for (const name of LENT) expect(apart(truth, document, name).mean, name).toBeLessThan(1);
    for (const name of ['smile', 'jaw_open', 'pucker', 'blink_l', 'brow_up', 'cheek_puff'])
      expect(apart(truth, document, name).share, name).toBeLessThan(0.3);
    // Teeth and tongue have other polygons there too, and go down with the jaw as their own did.
    const [lent, own] = [document, truth].map((each) => movements(each, 'jaw_open').by);
    for (const part of listParts(document).filter(({ kind }) => ['teeth', 'tongue'].includes(kind)))
      expect(
        Math.sqrt(
          (lent.get(part.id) as Float32Array).reduce(
            (sum, x, i) => sum + (x - (own.get(part.id) as Float32Array)[i]) ** 2,
            0,
          ) / part.vertices,
        ),
        part.name,
      ).toBeLessThan(1);
  });
  it('need a figure that can be reached, and one that could be laid on this one', async () => {
    await expect(
      expressionsStep.run(
        without('deckhand'),
        v.parse(expressionsStep.settings, { set: SET, from: 'nobody' }),
        target,
        context,
      ),
    ).rejects.toMatchObject({ code: 'morphs.no-lender' });
    const other = without('deckhand'),
      // Without a skeleton nobody knows which limb is which.
      statue = copyDocument(cast('rescue-swimmer').read.document);
    for (const skin of statue.getRoot().listSkins()) skin.dispose();
    expect((await run(other, {}, statue)).findings.map(({ code }) => code)).toEqual([
      'morphs.lender-other-topology',
      'morphs.expressions-missing',
    ]);
    expect(listMorphNames(other)).toEqual(listMorphNames(without('deckhand')));
  });
  it('stop when they are told to while a skin is laid on another', async () => {
    const stop = new AbortController(),
      document = without('deckhand');
    await expect(run(document, {}, 'rescue-swimmer', () => stop.abort(), stop.signal)).rejects.toMatchObject({
      name: 'AbortedError',
    });
    expect(listMorphNames(document)).toEqual(listMorphNames(without('deckhand')));
  });
});
