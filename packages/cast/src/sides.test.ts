import {
  asymmetryByPart,
  copyDocument,
  floatsOf,
  listParts,
  measureOf,
  type Part,
  SHIPPED_TARGETS,
  wrapStep,
} from '@dimetra/core';
import { encodePixels } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { beforeAll, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const SWOLLEN = 0.004;
const isHead = ({ kind, material }: Part) => kind === 'skin' && /head/i.test(material?.getName() ?? '');
let source: Document, body: Document;

/** The person with a swollen left cheek, 4 mm further out in its middle. */
function crooked(from: Document): Document {
  const document = copyDocument(from);
  for (const { prim } of listParts(document).filter(isHead)) {
    const position = prim.getAttribute('POSITION'),
      at = position && floatsOf(position);
    if (!at) continue;
    const high = Math.max(...at.filter((_, k) => k % 3 === 1)),
      ahead = Math.max(...at.filter((_, k) => k % 3 === 2));
    position.setArray(
      at.map((x, i) => {
        const v = i - (i % 3),
          off = Math.hypot(at[v] - 0.05, at[v + 1] - (high - 0.17), at[v + 2] - (ahead - 0.05)) / 0.04;
        return i % 3 === 0 && off < 1 ? x + SWOLLEN * (1 - off * off) ** 2 : x;
      }),
    );
  }
  return document;
}

async function wrapped(sides: 'own' | 'alike') {
  const document = crooked(source),
    { measures, findings } = await wrapStep.run(
      document,
      { body: 'it', detail: 'quick', morphs: 'source', weights: 'figure', sides },
      SHIPPED_TARGETS[0],
      { ...context, character: async () => ({ document: body, name: 'the other' }) },
    ),
    { parts } = asymmetryByPart(document),
    [head] = listParts(document).filter(isHead),
    off = [...(parts.get(head.id) ?? [])].filter(Number.isFinite);
  return {
    rms: Math.sqrt(off.reduce((sum, mm) => sum + mm * mm, 0) / off.length),
    most: Math.max(...off),
    moved: measureOf(measures, 'sides-evened')?.result,
    codes: findings.map(({ code }) => code),
  };
}

beforeAll(async () => {
  [source, body] = await Promise.all([
    makePerson('harbour-pilot', { size: 'small', encode: encodePixels, figure: 'Tessel' }),
    makePerson('rescue-swimmer', { size: 'small', encode: encodePixels, figure: 'Corvane' }),
  ]);
});

it('a swollen cheek stays on the figure’s polygons; where both sides shall be alike it is shared, and that is told', async () => {
  const own = await wrapped('own'),
    alike = await wrapped('alike');
  expect(own.most).toBeGreaterThan(2.5);
  expect(own.moved).toBeUndefined();
  expect(own.codes).not.toContain('fit.sides-evened');
  expect(alike.rms).toBeLessThan(own.rms / 4);
  expect(alike.most).toBeLessThan(0.6);
  expect(Number(alike.moved)).toBeGreaterThan(0.02);
  expect(alike.codes).toContain('fit.sides-evened');
});
