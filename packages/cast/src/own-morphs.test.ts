import {
  bodyOfSample,
  copyDocument,
  createDeformer,
  defaultRecipe,
  dropMorphs,
  learnFigure,
  listMorphNames,
  measureOf,
  type Part,
  parseTarget,
  runRecipe,
  SHIPPED_TARGETS,
} from '@dimetra/core';
import { encodePixels, sha256 } from '@dimetra/platform';
import type { Document } from '@gltf-transform/core';
import { beforeAll, describe, expect, it } from 'vitest';
import { makePerson } from './index.ts';
import { context } from './testing/small-cast.ts';

const GONE = ['smile', 'blink', 'jaw_open'];
let source: Document, other: Document, truth: Document, result: Document, run: Awaited<ReturnType<typeof runRecipe>>;

function movement(document: Document, of: (part: Part) => boolean, name: string): Float32Array {
  const deformer = createDeformer(document, of),
    at = (morphs: Record<string, number>) => deformer.evaluate(new Float32Array(deformer.vertices * 3), morphs),
    rest = at({});
  return at({ [name]: 1 }).map((x, k) => x - rest[k]);
}
const head = ({ kind, name }: Part) => kind === 'skin' && /Head/.test(name);
const rms = (values: Float32Array) => Math.sqrt(values.reduce((sum, x) => sum + x * x, 0) / (values.length / 3)) * 1000;
const off = (a: Float32Array, b: Float32Array) => {
  expect(a.length).toBe(b.length);
  return rms(a.map((x, k) => x - b[k]));
};

async function converted(morphs: 'source' | 'both') {
  const [shipped] = SHIPPED_TARGETS.filter(({ id }) => id === 'corvane-figure'),
    learned = await bodyOfSample(other, 'Other', sha256),
    target = parseTarget({
      ...shipped,
      joints: {
        ...shipped.joints,
        figure: { ...learnFigure(other, { id: 'other', title: 'Other' }), body: learned.body },
      },
      fit: { body: true, maps: 128, eyes: 'source', morphs },
    }),
    done = await runRecipe({ document: async () => copyDocument(source) }, target, defaultRecipe(), {
      context: { ...context, piece: async (hash) => (hash === learned.body.file ? learned.bytes : null) },
    });
  return { run: done, document: await done.document() };
}

beforeAll(async () => {
  const made = (id: 'harbour-pilot' | 'rescue-swimmer', figure: 'Tessel' | 'Corvane') =>
    makePerson(id, { size: 'small', encode: encodePixels, figure });
  [source, other, truth] = await Promise.all([
    made('harbour-pilot', 'Tessel'),
    made('rescue-swimmer', 'Corvane'),
    made('harbour-pilot', 'Corvane'),
  ]);
  dropMorphs(source, new Set(GONE));
  ({ run, document: result } = await converted('both'));
}, 120_000);

describe('the figure’s own morphs beside the character’s', () => {
  it('come where it lacks them, adapted to its shape, and leave its own as they were', async () => {
    expect(listMorphNames(source)).not.toContain('smile');
    expect(listMorphNames(result)).toEqual(expect.arrayContaining([...GONE, 'brow_up']));
    for (const name of ['smile', 'jaw_open']) {
      const want = movement(truth, head, name),
        got = movement(result, head, name),
        plain = movement(other, head, name);
      expect(off(got, want)).toBeLessThan(0.2 * rms(want));
      // Turned and stretched as the face was: nearer than as the other person moves.
      expect(off(got, want)).toBeLessThan(off(plain, want));
    }
    const step = run.steps.find(({ id }) => id === 'fit.wrap');
    expect(measureOf(step?.measures ?? [], 'figure-morphs')?.result).toBeGreaterThanOrEqual(GONE.length);
  });
  it('take lashes along', () => {
    const lash = ({ kind }: Part) => kind === 'lash',
      moved = rms(movement(result, lash, 'blink'));
    expect(run.steps.map(({ id }) => id)).toContain('fit.follow');
    expect(moved).toBeGreaterThan(1);
    expect(rms(movement(source, lash, 'blink'))).toBe(0);
  });
  it('stay away where nobody asks', async () => {
    const alone = await converted('source');
    expect(listMorphNames(alone.document).filter((name) => GONE.includes(name))).toEqual([]);
    expect(alone.run.steps.map(({ id }) => id)).not.toContain('fit.follow');
  });
});
