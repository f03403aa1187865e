import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, ElementHandle, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { floatsOf, listParts, writeGlb } from '@dimetra/core';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { drawn, openBrowser, openPage, press, shows, stagePixels, textOf } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
const folder = mkdtempSync(join(tmpdir(), 'dimetra-morphs-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>, id: string;
beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

/** A figure with a morph of each sort: build, expression, one that moves nothing, and one like another. */
async function bosun(): Promise<Uint8Array> {
  const document = stickFigure({ rings: 8, sides: 8 }),
    [{ prim, mesh }] = listParts(document),
    rest = floatsOf(prim.getAttribute('POSITION') as never);
  const moves: Record<string, (x: number, y: number) => [number, number, number]> = {
    build_tall: (_, y) => [0, 0.04 * y, 0],
    smile_l: (x, y) => (x > 0 && y > 1.55 ? [0.004, 0.006, 0] : [0, 0, 0]),
    stature: (_, y) => [0, 0.04 * y, 0],
    nothing: () => [0, 0, 0],
  };
  for (const [name, move] of Object.entries(moves)) {
    const delta = rest.slice();
    for (let i = 0; i < rest.length; i += 3) delta.set(move(rest[i], rest[i + 1]), i);
    prim.addTarget(
      document
        .createPrimitiveTarget(name)
        .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(delta)),
    );
  }
  mesh.setExtras({ targetNames: ['lift', ...Object.keys(moves)] });
  return writeGlb(document);
}

interface Kept {
  id: string;
  recipe: {
    mixes?: { name: string; weights: Record<string, number> }[];
    steps: { id: string; settings: Record<string, unknown> }[];
  };
}
/** Posting again answers with the conversion that is there. */
const kept = async (): Promise<Kept> => {
  const answer = await fetch(`${address}/api/v1/conversions`, {
    method: 'POST',
    headers: { 'content-type': 'application/json' },
    body: JSON.stringify({ characterId: id, targetId: 'browser-viewer' }),
  });
  return (await answer.json()) as Kept;
};
const settings = async (step: string) => (await kept()).recipe.steps.find((entry) => entry.id === step)?.settings ?? {};
const weigh = async (morph: string, weight: string) => {
  const field = (await page.waitForSelector(
    `input[aria-label="Weight of ${morph}"]`,
  )) as ElementHandle<HTMLInputElement>;
  await field.click({ clickCount: 3 });
  await field.type(weight);
};
/** A field by what stands above it. */
const field = async (label: string): Promise<string> => {
  await page.waitForFunction(
    (text: string) => [...document.querySelectorAll('label')].some((one) => one.textContent === text),
    {},
    label,
  );
  const of = await page.evaluate(
    (text: string) => [...document.querySelectorAll('label')].find((one) => one.textContent === text)?.htmlFor ?? '',
    label,
  );
  return `[id="${of}"]`;
};
const revisionOf = async (name: string): Promise<string> => {
  const people = (await (await fetch(`${address}/api/v1/characters`)).json()) as { name: string; revisionId: string }[];
  return people.find((row) => row.name === name)?.revisionId as string;
};
const rows = () => page.$$eval('[data-morph]', (found) => found.map((one) => one.getAttribute('data-morph')));
const saved = () => shows(page, '.header', /Saved/);

describe('morphs', () => {
  it('are told by what they are for and where they move the body, and found by that', async () => {
    writeFileSync(join(folder, 'bosun.glb'), await bosun());
    await page.goto(address);
    const input = (await page.waitForSelector('input[data-files]')) as ElementHandle<HTMLInputElement>;
    await input.uploadFile(join(folder, 'bosun.glb'));
    await shows(page, '.drop', /Bosun is in/);
    id = ((await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[]).find(
      (row) => row.name === 'Bosun',
    )?.id as string;
    await page.goto(`${address}/c/${id}/browser-viewer/morphs`);
    await page.waitForSelector('[data-morph]');
    await drawn(page);
    expect(await rows()).toEqual(['lift', 'build_tall', 'smile_l', 'stature', 'nothing']);
    expect(await textOf(page, '[data-morph=build_tall]')).toMatch(/build · whole figure · moves \d\d joints/);
    expect(await textOf(page, '[data-morph=smile_l]')).toContain('expression');
    expect(await textOf(page, '[data-morph=stature]')).toContain('same as build_tall');
    expect(await textOf(page, '[data-morph=nothing]')).toContain('moves nothing');
    await page.select('select[aria-label="What morphs are for"]', 'expression');
    await page.waitForFunction(() => document.querySelectorAll('[data-morph]').length < 4);
    expect(await rows()).toContain('smile_l');
    await page.select('select[aria-label="What morphs are for"]', '');
  });
  it('are dialled and typed; a mix is kept under a name, put back and taken up again', async () => {
    await weigh('build_tall', '0.5');
    await weigh('smile_l', '1');
    await shows(page, 'section[aria-label=Mix]', /2 dialled/);
    await page.type('input[aria-label="Name of the mix"]', 'Fair weather');
    await press(page, 'Keep', 'section[aria-label=Mix]');
    await saved();
    expect((await kept()).recipe.mixes).toEqual([{ name: 'Fair weather', weights: { build_tall: 0.5, smile_l: 1 } }]);
    await press(page, 'Reset 2');
    await shows(page, 'section[aria-label=Mix]', /nothing is dialled/);
    await page.focus('input[aria-label="Kept mixes"]');
    await page.keyboard.press('ArrowDown');
    await page.waitForSelector('[role=option]');
    await page.keyboard.press('ArrowDown');
    await page.keyboard.press('Enter');
    await shows(page, 'section[aria-label=Mix]', /2 dialled/);
  });
  it('are folded, mirrored and dropped by keyboard, said beside each, and undone', async () => {
    await press(page, 'Fold into the shape at rest');
    await shows(page, '[data-morph=build_tall]', /folded 0.5/);
    await page.focus('input[aria-label="Choose nothing"]');
    await page.keyboard.press('Space');
    await shows(page, '[role=toolbar][aria-label^="What to do"]', /Drop/);
    await page.evaluate(() =>
      [...document.querySelectorAll<HTMLElement>('[role=toolbar] button')]
        .find((one) => one.textContent === 'Drop')
        ?.focus(),
    );
    await page.keyboard.press('Enter');
    await shows(page, '[data-morph=nothing]', /dropped/);
    await page.focus('input[aria-label="Choose smile_l"]');
    await page.keyboard.press('Space');
    await press(page, 'Sides ▾');
    await press(page, 'Make the counterpart');
    await shows(page, '[data-morph=smile_l]', /makes smile_r/);
    await saved();
    expect([await settings('morphs.fold'), await settings('morphs.drop'), await settings('morphs.mirror')]).toEqual([
      { fold: { build_tall: 0.5, smile_l: 1 } },
      { names: ['nothing'] },
      { flip: ['smile_l'] },
    ]);
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await page.waitForFunction(() => !document.querySelector('[data-morph=smile_l]')?.textContent?.includes('makes'));
    await saved();
    expect(await settings('morphs.mirror')).toEqual({});
  });
  it('come out of a run as decided, and the report of the run says what was done', async () => {
    await press(page, 'Run');
    await shows(page, '.ledger', /Morph targets[^P]*5 → 2/);
    expect(await textOf(page, 'details.folded')).toMatch(/morph targets 5 → 3 · vertices moved at rest/);
    // The result stands on the stage before it is measured.
    const newest = async () =>
      ((await (await fetch(`${address}/api/v1/runs`)).json()) as { id: string; state: string; error: unknown }[])[0];
    await expect.poll(async () => (await newest()).state, { timeout: PATIENCE, interval: 500 }).toMatch(/done|failed/);
    expect(await newest()).toMatchObject({ error: null, state: 'done' });
    const run = (await (await fetch(`${address}/api/v1/runs/${(await newest()).id}`)).json()) as {
      result: { morphTargets: string[] };
      parity: { inventory: { lost: string[] }; shape: { rest: { maxMm: number } } };
    };
    expect(run.result.morphTargets).toEqual(['lift', 'stature']);
    // What was folded on purpose is no loss: the source is held against the result with it.
    expect(run.parity.inventory.lost.filter((one) => one.startsWith('morph'))).toEqual([]);
    expect(run.parity.shape.rest.maxMm).toBeLessThan(0.05);
  });
  it('show how crooked both figures are: folded on one side, the result is more so', async () => {
    await press(page, 'More', '.stage-bar');
    await page.waitForFunction(() =>
      [...document.querySelectorAll('button')].some((one) => one.textContent === 'Asymmetry'),
    );
    await press(page, 'Asymmetry');
    await shows(page, '[data-asymmetry]', /RMS \d+\.\d\d mm → \d+\.\d\d mm/);
    const [source, result] = [...(await textOf(page, '[data-asymmetry]')).matchAll(/(\d+\.\d\d) mm/g)].map(([, mm]) =>
      Number(mm),
    );
    expect(result).toBeGreaterThan(source);
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(8);
    expect(errors).toEqual([]);
  });
  it('of a set are played one after the other on both figures, and the dials are as before when it ends', async () => {
    await page.evaluate(() =>
      [...document.querySelectorAll('summary')]
        .find((one) => one.textContent?.startsWith('What the run does'))
        ?.click(),
    );
    await page.select('select[aria-label="Set of expressions"]', 'face');
    await press(page, 'Play one after the other');
    const played = () => page.$eval('[data-played]', (one) => one.getAttribute('data-played'));
    await page.waitForSelector('[data-played]');
    const first = await played();
    await page.waitForFunction(
      (before: string | null) => {
        const one = document.querySelector('[data-played]');
        return one && one.getAttribute('data-played') !== before;
      },
      {},
      first,
    );
    expect(await played()).not.toBe(first);
    await press(page, 'Stop');
    await page.waitForFunction(() => !document.querySelector('[data-played]'));
    await page.select('select[aria-label="Set of expressions"]', '');
    expect(errors).toEqual([]);
  });
  it('of two people are mixed with the shape: by region, by keyboard and on the stage, and taken back', async () => {
    const people = (await (await fetch(`${address}/api/v1/characters`)).json()) as {
        id: string;
        name: string;
        revisionId: string;
      }[],
      [pilot, deckhand] = ['Harbour pilot', 'Deckhand'].map((name) => people.find((row) => row.name === name));
    id = pilot?.id as string;
    await page.goto(`${address}/c/${id}/browser-viewer/morphs`);
    await page.waitForSelector('[data-morph]');
    await page.evaluate(() =>
      [...document.querySelectorAll('summary')].find((one) => one.textContent?.startsWith('Mix people'))?.click(),
    );
    const seat = await page.evaluate(
      () => [...document.querySelectorAll('label')].find((one) => one.textContent === 'With')?.htmlFor ?? '',
    );
    await page.select(`[id="${seat}"]`, deckhand?.revisionId as string);
    await shows(page, '.bench', /The stage shows the mix/);
    const handle = '.bench [role=slider][aria-label^="Shares of people"]';
    await page.focus(handle);
    await page.keyboard.press('End');
    await shows(page, '.bench', /Deckhand 100 %/);
    await page.focus('[role=listbox][aria-label=Regions] [aria-selected=true]');
    // Whole has a row of its own; below it lie brow, nose …
    await page.keyboard.press('Home');
    for (let i = 0; i < 4; i++) await page.keyboard.press('ArrowRight');
    await shows(page, '.bench', /Nose: |NoseHarbour pilot|Nose/);
    expect(await page.$eval(handle, (one) => one.getAttribute('aria-label'))).toBe('Shares of people: Nose');
    await page.focus(handle);
    await page.keyboard.press('Home');
    await page.waitForFunction(
      (selector: string) =>
        document.querySelector(selector)?.getAttribute('aria-valuetext') === 'Harbour pilot 100 %, Deckhand 0 %',
      {},
      handle,
    );
    await shows(page, '.bench', /its narrowest border is \d/);
    await shows(page, '.stage', /Source mixed/);
    await saved();
    expect(await settings('morphs.mix')).toEqual({
      with: [{ character: deckhand?.revisionId, weights: { all: 1, nose: 0 } }],
    });
    // Clicked on the figure, a region is taken up.
    await drawn(page);
    const box = await page.$eval('.stage canvas', (one) => {
      const { left, top, width, height } = one.getBoundingClientRect();
      return { left, top, width, height };
    });
    await page.mouse.click(box.left + box.width / 2, box.top + box.height * 0.45);
    await shows(page, '[aria-label="Mix on the stage"] b', /Torso|Arms|Hands|Legs/);
    await press(page, 'Put away');
    await page.waitForFunction(() => !document.querySelector('[aria-label="Mix on the stage"]'));
    await press(page, 'Mix on the stage');
    await page.waitForSelector('[aria-label="Mix on the stage"]');
    await page.focus(handle);
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await shows(page, '.bench', /Deckhand 0 %/);
    expect(errors).toEqual([]);
  });
  it('are learned as a set from a sample, and lent by another figure', async () => {
    const deckhand = await revisionOf('Deckhand');
    await page.evaluate(() =>
      [...document.querySelectorAll('summary')]
        .find((one) => one.textContent?.startsWith('What the run does'))
        ?.click(),
    );
    await page.select(await field('Learn a set from'), deckhand);
    await page.waitForFunction(
      () => document.querySelector<HTMLSelectElement>('select[aria-label="Set of expressions"]')?.value === 'own',
    );
    await page.select(await field("What can't be had is lent by"), deckhand);
    await saved();
    const { set, from } = (await settings('morphs.expressions')) as {
      set: { title: string; entries: { name: string; means?: string; like?: number[] }[] };
      from: string;
    };
    expect(from).toBe(deckhand);
    expect(set.title).toBe('Deckhand');
    expect(set.entries.find(({ name }) => name === 'smile')).toMatchObject({ means: 'smile' });
    expect(set.entries.find(({ name }) => name === 'smile')?.like).toHaveLength(20);
    expect(errors).toEqual([]);
  });
  it('of the whole body: a height that is asked for is seen on the stage before any run', async () => {
    const figure = () => page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL());
    await page.select(await field('With'), '');
    await shows(page, '.stage', /Source 1\d\d\.\d cm/);
    await drawn(page);
    const before = await figure();
    await page.focus(await field('Height, cm'));
    await page.keyboard.type('196');
    await page.keyboard.press('Tab');
    await shows(page, '.stage', /Source as asked 196\.0 cm/);
    await shows(page, '.bench', /The stage shows the body as asked/);
    await drawn(page);
    expect(await figure()).not.toBe(before);
    await saved();
    expect(await settings('morphs.body')).toEqual({ heightCm: 196 });
    expect(errors).toEqual([]);
  });
});

describe('fine detail', () => {
  it('is taken from a model that is chosen, and the choice is kept', async () => {
    const deckhand = await revisionOf('Deckhand');
    await page.goto(`${address}/c/${id}/browser-viewer/materials`);
    await page.waitForSelector('section[aria-label="Fine detail as normals"]');
    await page.select(await field('From'), deckhand);
    await page.select(await field('Size of the maps'), '512');
    await saved();
    expect(await settings('materials.detail')).toEqual({ from: deckhand, size: '512' });
    expect(errors).toEqual([]);
  });
});
