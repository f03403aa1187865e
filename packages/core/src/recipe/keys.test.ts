import { readFileSync } from 'node:fs';
import { describe, expect, it } from 'vitest';
import { stepCode } from '../../../../scripts/step-code.mjs';
import { createGltfIO, packDocument } from '../formats/index.ts';
import { parseTarget, SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { MemoryStore } from '../testing/memory-store.ts';
import { codeOf, defaultRecipe, type Recipe, runRecipe, STEPS } from './index.ts';

const root = new URL('../../../../', import.meta.url);
const text = (path: string) => readFileSync(new URL(path, root), 'utf8');
const changed = (file: string, by: (before: string) => string) => {
  const before = stepCode(),
    after = stepCode((path) => (path === file ? by(text(path)) : text(path)));
  return Object.keys(before).filter((id) => before[id] !== after[id]);
};

describe('what a step is made of', () => {
  it('is known for every step and for what follows them, and is what was built in', () => {
    const code = stepCode();
    for (const id of [...STEPS.map((step) => step.id), 'conclusion']) {
      expect(code[id], id).toMatch(/^[0-9a-f]{32}$/);
      expect(codeOf(id)).toBe(code[id]);
    }
    expect(() => codeOf('weights.imagined')).toThrow('not known');
  });
  it('follows every file it stands on, however far below, and no other', () => {
    const roles = changed('packages/core/src/rig/roles.ts', (before) => `${before}\n`);
    expect(roles).toEqual(expect.arrayContaining(['skeleton.remap', 'weights.bind', 'rest.convert', 'conclusion']));
    // Maps are looked at from the sides that joints tell; their finding stands on nothing of it.
    expect(roles).toContain('textures.fit');
    expect(roles).not.toContain('intake.find-maps');
    const simplifier = changed('packages/core/src/reduce/simplify.ts', (before) => before.replace(';', '; '));
    expect(simplifier).toEqual(['conclusion', 'reduce.simplify']);
    expect(changed('packages/core/src/parity/compare.ts', (before) => `${before}\n`)).toEqual(['conclusion']);
    expect(changed('packages/core/src/rig/roles.test.ts', (before) => `${before}\n`)).toEqual([]);
  });
  it('follows the code that draws images, and the versions of packages, also of those that packages need', () => {
    expect(changed('packages/platform/src/codec.ts', (before) => `${before}\n`)).toHaveLength(STEPS.length + 1);
    const raise = (name: string) => (before: string) => {
      const lock = JSON.parse(before);
      lock.packages[`node_modules/${name}`].version += '-next';
      return JSON.stringify(lock);
    };
    expect(changed('package-lock.json', raise('@gltf-transform/core'))).toHaveLength(STEPS.length + 1);
    expect(changed('package-lock.json', raise('property-graph')).length).toBeGreaterThan(10);
    expect(changed('package-lock.json', raise('express'))).toEqual([]);
  });
});

describe('results are found again under keys', () => {
  const crowd = SHIPPED_TARGETS.find((target) => target.id === 'quayside-crowd'),
    target = parseTarget({ ...crowd, triangles: { max: 900 } });
  const session = async () => {
    const document = stickFigure({ rings: 8, sides: 8 }),
      context = testContext(),
      store = new MemoryStore(),
      packed = await packDocument(await createGltfIO(), document, context.hash);
    store.add(packed.pieces);
    let opened = 0;
    const source = {
      manifest: packed.manifest,
      async document() {
        opened++;
        return document;
      },
    };
    const run = async (recipe: Recipe = defaultRecipe(), code = codeOf) => {
      opened = 0;
      const started = performance.now(),
        { steps } = await runRecipe(source, target, recipe, { context, store, code }),
        took = (performance.now() - started) / 1000;
      const said = steps.reduce((sum, step) => sum + step.seconds, 0);
      // Each says its own time; together no more than all took, and most of it where anything was done.
      expect(said).toBeLessThanOrEqual(took);
      if (!steps.some((step) => step.cached)) expect(said).toBeGreaterThan(took / 4);
      return {
        cached: steps.filter((step) => step.cached).map((step) => step.id),
        all: steps.map((step) => step.id),
        opened,
      };
    };
    return { run, store };
  };
  const withSettings = (id: string, settings: Record<string, unknown>): Recipe => ({
    ...defaultRecipe(),
    steps: defaultRecipe().steps.map((entry) => (entry.id === id ? { ...entry, settings } : entry)),
  });

  it('a second run does nothing: steps that had nothing to do are known too, so no document is opened', async () => {
    const { run, store } = await session();
    expect((await run()).cached).toEqual([]);
    const pieces = store.piece.bind(store);
    let read = 0;
    store.piece = async (hashes) => {
      read++;
      return pieces(hashes);
    };
    const again = await run();
    expect(again.cached).toEqual(again.all);
    expect(again.all.length).toBeLessThan(STEPS.length);
    expect([again.opened, read]).toEqual([0, 0]);
  });
  it('other code of one step does that step and all after it again, and none before', async () => {
    const { run } = await session(),
      { all } = await run();
    const other = await run(defaultRecipe(), (id) => (id === 'weights.limit' ? 'other' : codeOf(id)));
    expect(other.all).toEqual(all);
    expect(other.cached).toEqual(all.slice(0, all.indexOf('weights.limit')));
    expect(other.cached.length).toBeGreaterThan(1);
  });
  it('settings in another order are the same, with another value they are not', async () => {
    const { run } = await session();
    const importance = (values: Record<string, number>) => run(withSettings('reduce.simplify', { importance: values }));
    const { all } = await importance({ Body: 2, Hair: 1 });
    expect((await importance({ Hair: 1, Body: 2 })).cached).toEqual(all);
    expect((await importance({ Hair: 2, Body: 2 })).cached).not.toContain('reduce.simplify');
  });
});
