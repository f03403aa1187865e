import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { writeGlb } from '@dimetra/core';
import type { Document } from '@gltf-transform/core';
import type { Browser, Page } from 'puppeteer-core';
import { afterAll, beforeAll, expect, inject, it } from 'vitest';
import { dressed } from '../../packages/core/src/testing/dressed.ts';
import { openBrowser, openPage, press, shows } from './browser.ts';

const address = inject('address'),
  /** Of its own: nobody else has set anything for it. */
  TARGET = 'deck-for-recipes';
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;
let people: { id: string; name: string }[];

interface Conversion {
  id: string;
  version: number;
  recipe: { steps: { id: string; enabled: boolean; settings: Record<string, unknown> }[] };
  follows: { id: string; version: number } | null;
}
async function ask<T>(method: string, path: string, body?: object): Promise<{ status: number; answer: T }> {
  const response = await fetch(`${address}/api/v1/${path}`, {
    method,
    headers: { 'content-type': 'application/json' },
    ...(body && { body: JSON.stringify(body) }),
  });
  return { status: response.status, answer: (await response.json().catch(() => null)) as T };
}
const idOf = (name: string) => people.find((one) => one.name === name)?.id ?? '';
const conversionOf = async (name: string) =>
  (await ask<Conversion>('POST', 'conversions', { characterId: idOf(name), targetId: TARGET })).answer;
const settingsOf = ({ recipe }: Conversion, step: string) => recipe.steps.find(({ id }) => id === step)?.settings ?? {};
async function set(name: string, step: string, settings: Record<string, unknown>) {
  const { id, version, recipe } = await conversionOf(name),
    steps = recipe.steps.map((one) => (one.id === step ? { ...one, settings } : one));
  expect((await ask('PUT', `conversions/${id}/recipe`, { recipe: { ...recipe, steps }, version })).status).toBe(200);
}

beforeAll(async () => {
  people = (await ask<typeof people>('GET', 'characters')).answer;
  const { answer: targets } = await ask<{ id: string; shipped: boolean }[]>('GET', 'targets'),
    { shipped: _, ...deck } = targets.find(({ id }) => id === 'headset-deck') as (typeof targets)[number];
  expect((await ask('POST', 'targets', { ...deck, id: TARGET, title: 'Deck for recipes' })).status).toBe(201);
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
});
afterAll(async () => {
  await ask('DELETE', 'recipes/for-the-deck');
  await ask('DELETE', `targets/${TARGET}`);
  await close?.();
});

it('what was set for one is kept for others, who see what it would do to them before they take it', async () => {
  await set('Harbour pilot', 'reduce.simplify', { triangles: 18_000, importance: { Head: 3, Beanie: 0.5 } });
  await set('Deckhand', 'weights.limit', { max: 3 });
  await page.goto(`${address}/c/${idOf('Harbour pilot')}/${TARGET}/reduce`);
  await page.waitForSelector('[data-recipe-menu]');
  await page.click('[data-recipe-menu]');
  await shows(page, '[role=menu]', /Follows no shared recipe/);
  await press(page, 'Keep as a new recipe', '[role=menu]');
  const title = await page.waitForSelector('[role=dialog] input');
  await title?.click({ count: 3 });
  await title?.type('For the deck');
  await press(page, 'Keep it', '[role=dialog]');
  await page.waitForFunction(
    async (id: string) =>
      ((await (await fetch('/api/v1/recipes')).json()) as { followers: { characterId: string }[] }[])[0]?.followers[0]
        ?.characterId === id,
    {},
    idOf('Harbour pilot'),
  );
  // What is kept is nobody's own any more.
  await page.waitForFunction(() => !document.querySelector('[role=dialog]'));
  await page.click('[data-recipe-menu]');
  await shows(page, '[role=menu]', /Follows “For the deck”, version 1; nothing of its own/);
  await press(page, 'Give it to others, or see its versions', '[role=menu]');
  await shows(page, '[aria-label="What it says"]', /Triangles for the whole: 18000/);
  const row = (name: string) => `[data-taker="${name}"]`;
  await shows(page, row('Deckhand'), /none\s*3\s*1\s*\d/);
  expect(await page.$eval(row('Harbour pilot'), (one) => one.getAttribute('data-follows'))).toBe('true');
  await page.click(`${row('Deckhand')} button`);
  await shows(page, '[aria-label="What would change of Deckhand"]', /Importance by part, Head: 3/);
  await shows(page, '[aria-label="What Deckhand keeps of its own"]', /3/);
  await shows(page, 'main', /It has nothing of these names/);
  // Nothing has happened yet.
  expect(settingsOf(await conversionOf('Deckhand'), 'reduce.simplify')).toEqual({});
  await page.click(`${row('Deckhand')} input`);
  await press(page, 'Give it to the 1 chosen');
  await shows(page, '.card.info', /One character follows version 1 now\. Nothing has run yet/);
  const taken = await conversionOf('Deckhand');
  expect(taken.follows).toEqual({ id: 'for-the-deck', version: 1 });
  expect(settingsOf(taken, 'reduce.simplify')).toMatchObject({ triangles: 18_000 });
  expect(settingsOf(taken, 'weights.limit')).toEqual({ max: 3 });
  await press(page, 'Take it back');
  await page.waitForFunction(() => !document.querySelector('.card.info'));
  const back = await conversionOf('Deckhand');
  expect(back.follows).toBeNull();
  expect(settingsOf(back, 'reduce.simplify')).toEqual({});
  expect(settingsOf(back, 'weights.limit')).toEqual({ max: 3 });
  expect(errors).toEqual([]);
});

it('a new version of a file makes a revision: what differs is told, the recipe goes along, what no longer fits is named', async () => {
  const file = async (change: (document: Document) => void) => {
      const document = dressed();
      change(document);
      return (await writeGlb(document)) as Uint8Array<ArrayBuffer>;
    },
    named = (document: Document, name: string) =>
      document
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === name),
    send = async (path: string, files: Record<string, Uint8Array<ArrayBuffer>>) => {
      const form = new FormData();
      for (const [name, bytes] of Object.entries(files)) form.append('files', new Blob([bytes]), name);
      const response = await fetch(`${address}/api/v1/${path}`, { method: 'POST', body: form });
      return { status: response.status, answer: await response.json() };
    };
  const first = await file(() => {}),
    { answer: made } = await send('characters', { 'stoker.glb': first }),
    { answer: asked } = await ask<Conversion>('POST', 'conversions', { characterId: made.id, targetId: TARGET }),
    steps = asked.recipe.steps.map((step) =>
      step.id === 'reduce.simplify' ? { ...step, settings: { importance: { Jacket: 2, Figure: 3, Body: 1 } } } : step,
    );
  await ask('PUT', `conversions/${asked.id}/recipe`, { recipe: { ...asked.recipe, steps }, version: asked.version });
  await page.goto(`${address}/c/${made.id}/${TARGET}/intake`);
  const button = await page.waitForSelector('[data-bring-source]'),
    second = await file((document) => named(document, 'Jacket')?.setName('Oilskin')),
    folder = mkdtempSync(join(tmpdir(), 'dimetra-source-'));
  try {
    writeFileSync(join(folder, 'stoker.glb'), second);
    const [chooser] = await Promise.all([page.waitForFileChooser(), button?.click()]);
    await chooser.accept([join(folder, 'stoker.glb')]);
    await shows(page, '[data-source="2"]', /Parts called otherwise: Jacket → Oilskin/);
    await shows(page, '[data-source="2"]', /Recipes say the same of other names now: Jacket → Oilskin/);
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  const now = async () =>
    settingsOf((await ask<Conversion>('GET', `conversions/${asked.id}`)).answer, 'reduce.simplify');
  expect(((await now()).importance as object) ?? {}).toHaveProperty('Oilskin', 2);
  // One without it: what is said of it stays, and is told not to fit.
  const third = await send(`characters/${made.id}/source`, {
    'stoker.glb': await file((document) => named(document, 'Jacket')?.setMesh(null).setSkin(null)),
  });
  expect([third.status, third.answer.number, third.answer.changes.part.gone]).toEqual([201, 3, ['Oilskin']]);
  await shows(page, '[data-unfit]', /speaks of the part “Oilskin”, which this version doesn’t have/);
  // What can't be read, or is more than one, changes nothing.
  const broken = await send(`characters/${made.id}/source`, { 'stoker.glb': first.slice(0, 200) }),
    none = await send(`characters/${made.id}/source`, { 'notes.txt': new TextEncoder().encode('no model') }),
    nobody = await send('characters/00000000-0000-4000-8000-000000000000/source', { 'stoker.glb': first });
  expect([broken.status, none.status, nobody.status]).toEqual([422, 422, 404]);
  for (const { answer } of [broken, none]) expect(answer.detail).toMatch(/\w.*\./);
  await press(page, 'Back to version 2');
  await shows(page, '[data-source="4"]', /Parts new: Oilskin/);
  expect(errors).toEqual([]);
  await ask('DELETE', `characters/${made.id}`);
});

it('a target is learned from a character that works there, with what every limit was taken from and what is left to ask', async () => {
  await page.goto(`${address}/targets`);
  await page.waitForSelector('details.card summary');
  await page.click('details.card summary');
  const chooser = await page.waitForSelector('details.card input');
  await chooser?.click();
  await page.waitForSelector('[role=option]');
  await page.evaluate(() =>
    [...document.querySelectorAll<HTMLElement>('[role=option]')]
      .find(({ textContent }) => textContent === 'Harbour pilot')
      ?.click(),
  );
  const title = (await page.$$('details.card input')).at(-1);
  await title?.type('Old harbour engine');
  await press(page, 'Learn', 'details.card');
  await shows(page, '[data-learned]', /triangles: .* allowed.*Asked: How near does the viewer come/s);
  const { answer: targets } = await ask<{ id: string; joints: { figure?: string }; triangles: { max: number } }[]>(
      'GET',
      'targets',
    ),
    learned = targets.find(({ id }) => id === 'old-harbour-engine');
  expect(learned?.joints.figure).toBeTruthy();
  expect(page.url()).toContain('/targets/old-harbour-engine');
  await ask('DELETE', 'targets/old-harbour-engine');
  await ask('DELETE', `figures/${learned?.joints.figure}`);
  expect(errors).toEqual([]);
});

it('versions never change: the same again is the same, another is the next; what followed one still says which', async () => {
  const recipes = async () =>
      (await ask<{ latest: Record<string, unknown>; versions: object[] }[]>('GET', 'recipes')).answer,
    [{ latest }] = await recipes();
  expect((await ask<{ version: number }>('POST', 'recipes', latest)).answer.version).toBe(1);
  const [one, two] = await Promise.all(
    ['again', 'once more'].map((note) => ask<{ version: number }>('POST', 'recipes', { ...latest, note })),
  );
  expect([one.status, two.status]).toEqual([201, 201]);
  expect([one.answer.version, two.answer.version].sort()).toEqual([2, 3]);
  expect((await recipes())[0].versions).toHaveLength(3);
  await page.goto(`${address}/recipes/for-the-deck`);
  await shows(page, '[data-taker="Harbour pilot"]', /For the deck 1 of 3/);
  const { id, version, recipe } = await conversionOf('Deckhand'),
    save = (follows: object) =>
      ask<{ detail: string }>('PUT', `conversions/${id}/recipe`, { recipe, version, follows });
  const missing = await save({ id: 'for-the-deck', version: 9 });
  expect(missing.status).toBeGreaterThanOrEqual(400);
  expect(missing.answer.detail ?? JSON.stringify(missing.answer)).toContain('no version 9');
  for (const wrong of [{ ...latest, title: '' }, { ...latest, steps: [{ id: 'no.such' }] }, { schema: 7 }, []]) {
    const { status } = await ask('POST', 'recipes', wrong);
    expect(status).toBeGreaterThanOrEqual(400);
    expect(status).toBeLessThan(500);
  }
  // Its schema names every step, and what may be set.
  const schema = JSON.stringify((await ask('GET', 'recipes/schema')).answer);
  expect(schema).toContain('reduce.simplify');
  expect(schema).toContain('importance');
  expect((await ask('DELETE', 'recipes/for-the-deck')).status).toBe(204);
  expect((await conversionOf('Harbour pilot')).follows).toBeNull();
  expect((await ask('DELETE', 'recipes/for-the-deck')).status).toBe(404);
});
