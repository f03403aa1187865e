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
function movements(document: Document, name: string) {
  const deformer = createDeformer(document),
    rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    moved = deformer.evaluate(new Float32Array(rest.length), { [name]: 1 });
  const byPart = (all: Float32Array) =>
    new Map(
      deformer.ranges.map(({ part, firstVertex, vertices }) => [
        part.id,
        all.slice(firstVertex * 3, (firstVertex + vertices) * 3),
      ]),
    );
  return { rest, restBy: byPart(rest), by: byPart(moved.map((x, i) => (x - rest[i]) * 1000)) };
}

/**
 * How far apart two morphs are, millimetres: the mean over the skin that any of the lent ones moves, and the sum as a share of
 * what the true one moves.
 * @param around a place; movements towards it and away from it don't count
 */
function apart(truth: Document, made: Document, name: string, around?: readonly number[]) {
  const { by: a, restBy } = movements(truth, name),
    { by: b } = movements(made, name),
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
      const d = [0, 1, 2].map((k) => one[i + k] - two[i + k]),
        way = around?.map((x, k) => (restBy.get(part) as Float32Array)[i + k] + one[i + k] / 1000 - x) ?? [0, 0, 0],
        out = d.reduce((total, x, k) => total + x * way[k], 0) / (Math.hypot(...way) || 1);
      sum += Math.sqrt(Math.max(0, d.reduce((total, x) => total + x * x, 0) - out * out));
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

/** Mean of the vertices of the left eye, metres. */
function eyeMiddle(document: Document): number[] {
  const { restBy } = movements(document, ''),
    all = listParts(document)
      .filter(({ kind }) => kind === 'eye')
      .flatMap(({ id }) => {
        const rest = restBy.get(id) as Float32Array;
        return Array.from({ length: rest.length / 3 }, (_, v) => [...rest.subarray(v * 3, v * 3 + 3)]);
      })
      .filter(([x]) => x > 0);
  return [0, 1, 2].map((k) => all.reduce((sum, place) => sum + place[k], 0) / all.length);
}

/** Cells of a tenth of a millimetre in which an eyeball is in front of all skin, of the left eye seen from ahead. */
function eyeSeen(document: Document, name: string, amount = 1): number {
  const deformer = createDeformer(document),
    places = deformer.evaluate(new Float32Array(deformer.vertices * 3), { [name]: amount }).map((x) => x * 1e4),
    eye: { depth: Map<number, number>; skin: boolean }[] = [
      { depth: new Map(), skin: false },
      { depth: new Map(), skin: true },
    ],
    middle = eyeMiddle(document).map((x) => x * 1e4);
  for (const { part, firstVertex } of deformer.ranges)
    for (const { depth, skin } of eye) {
      if (part.kind !== (skin ? 'skin' : 'eye')) continue;
      const indices = part.prim.getIndices()?.getArray() as ArrayLike<number>;
      for (let t = 0; t < indices.length; t += 3) {
        const [a, b, c] = [0, 1, 2].map((k) => {
          const v = (indices[t + k] + firstVertex) * 3;
          return [places[v] - middle[0], places[v + 1] - middle[1], places[v + 2]];
        });
        if (Math.max(...a.slice(0, 2).map(Math.abs)) > 250) continue;
        const area = (b[0] - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (b[1] - a[1]);
        if (!area) continue;
        for (let x = Math.ceil(Math.min(a[0], b[0], c[0])); x <= Math.max(a[0], b[0], c[0]); x++)
          for (let y = Math.ceil(Math.min(a[1], b[1], c[1])); y <= Math.max(a[1], b[1], c[1]); y++) {
            const v = ((x - a[0]) * (c[1] - a[1]) - (c[0] - a[0]) * (y - a[1])) / area,
              w = ((b[0] - a[0]) * (y - a[1]) - (x - a[0]) * (b[1] - a[1])) / area;
            if (v < 0 || w < 0 || v + w > 1) continue;
            const z = a[2] + v * (b[2] - a[2]) + w * (c[2] - a[2]),
              cell = (x + 4096) * 8192 + y + 4096;
            if (z > (depth.get(cell) ?? -Infinity)) depth.set(cell, z);
          }
      }
    }
  let seen = 0;
  for (const [cell, z] of eye[0].depth) if (z > middle[2] && z > (eye[1].depth.get(cell) ?? -Infinity)) seen++;
  return seen;
}

/** Movements of the lashes by a morph, made less true, and true, root mean square in millimetres. */
function lashes(truth: Document, made: Document, name: string) {
  const [a, b] = [movements(truth, name).by, movements(made, name).by],
    id = listParts(truth).find(({ kind }) => kind === 'lash')?.id as string,
    [one, two] = [a.get(id) as Float32Array, b.get(id) as Float32Array],
    mean = (of: (i: number) => number) => Math.sqrt(one.reduce((sum, _, i) => sum + of(i) ** 2, 0) / (one.length / 3));
  return { off: mean((i) => one[i] - two[i]), size: mean((i) => one[i]) };
}

/** A lent blink hides an eyeball that is seen at rest, and brings the lashes down about as the true one does. */
function expectShut(truth: Document, made: Document): void {
  const open = eyeSeen(made, 'blink_l', 0);
  expect(open).toBeGreaterThan(10_000);
  expect(eyeSeen(made, 'blink_l')).toBeLessThan(open / 100);
  const { off, size } = lashes(truth, made, 'blink_l');
  expect(off).toBeLessThan(0.45 * size);
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
      expectShut(truth, document);
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
    // Lids close, though another's eyes are larger and its lids have other vertices.
    expectShut(truth, document);
    for (const name of ['smile', 'jaw_open', 'pucker', 'brow_up', 'cheek_puff'])
      expect(apart(truth, document, name).share, name).toBeLessThan(0.3);
    // The small cast's own lids let the eyeball through, so how far off it a lid lies is no truth to be compared with.
    expect(eyeSeen(truth, 'blink_l')).toBeGreaterThan(1000);
    expect(apart(truth, document, 'blink_l', eyeMiddle(truth)).share).toBeLessThan(0.35);
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
