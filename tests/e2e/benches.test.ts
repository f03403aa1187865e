import type { Browser } from 'puppeteer-core';
import { afterAll, beforeAll, expect, inject, it } from 'vitest';
import { drawn, openBrowser, openPage, press, shows } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
let browser: Browser, close: () => Promise<void>;
beforeAll(async () => {
  ({ browser, close } = await openBrowser());
});
afterAll(() => close?.());

it('of many morphs only those seen are drawn, Tab comes to every one, and a dial draws the figure', async () => {
  const { page, errors } = await openPage(browser),
    people = (await (await fetch(`${address}/api/v1/characters`)).json()) as {
      id: string;
      name: string;
      morphs: number;
    }[],
    pilot = people.find((row) => row.name === 'Harbour pilot') as (typeof people)[number];
  await page.goto(`${address}/c/${pilot.id}/headset-deck/morphs`);
  await page.waitForSelector('.bench [role=slider]');
  await drawn(page);
  const dials = () => page.$$eval('.bench [role=slider]', (found) => found.length);
  expect(pilot.morphs).toBeGreaterThan(60);
  expect(await dials()).toBeLessThan(40);
  await page.focus('.bench [role=slider]');
  const frames = () => page.evaluate(() => (window as unknown as { dimetraFrames: number }).dimetraFrames),
    before = await frames();
  await page.keyboard.press('ArrowRight');
  await page.waitForFunction(
    (then: number) => (window as unknown as { dimetraFrames: number }).dimetraFrames > then,
    {},
    before,
  );
  // What has the keyboard is noted by the page itself: asking after every press would take as long again.
  await page.evaluate(() => {
    const met = ((window as unknown as { met: string[] }).met = [
      document.activeElement?.getAttribute('aria-label') ?? '',
    ]);
    document.addEventListener('focusin', (event) =>
      met.push((event.target as HTMLElement).getAttribute('aria-label') ?? ''),
    );
  });
  // Each row has a tick, a dial and a weight, and a place to look at where it was measured.
  for (let i = 0; i < pilot.morphs * 4; i++) await page.keyboard.press('Tab');
  const met = new Set(await page.evaluate(() => (window as unknown as { met: string[] }).met));
  expect([...met].filter((name) => name.startsWith('Dial '))).toHaveLength(pilot.morphs);
  expect(await dials()).toBeLessThan(40);
  expect(await page.$eval('.bench [data-filter]', (field) => field.isConnected)).toBe(true);
  // What is opened above the table pushes it down; its rows go along.
  await page.evaluate(() => {
    for (const folded of document.querySelectorAll<HTMLDetailsElement>('.bench > details')) folded.open = true;
    document.querySelector('table[aria-label=Morphs]')?.scrollIntoView();
  });
  await page.waitForFunction(() => {
    const bench = document.querySelector('.bench')?.getBoundingClientRect(),
      row = document.querySelector('[data-morph=blink]')?.getBoundingClientRect();
    return bench && row && row.top >= bench.top && row.bottom <= bench.bottom;
  });
  expect(errors).toEqual([]);
  await page.close();
});

it('arrows go through the materials as they stand, and what is come to is chosen', async () => {
  const { page } = await openPage(browser),
    people = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[];
  await page.goto(`${address}/c/${people.find((row) => row.name === 'Harbour pilot')?.id}/headset-deck/materials`);
  await page.waitForSelector('[data-material][tabindex="0"]');
  // While the figure comes in, drawn by software, the page answers no key for many seconds.
  await drawn(page);
  const names = await page.$$eval('[data-material]', (found) => found.map((one) => one.getAttribute('data-material'))),
    now = () =>
      page.evaluate(() => [
        document.activeElement?.getAttribute('data-material'),
        document.querySelector('[data-material][aria-selected=true]')?.getAttribute('data-material'),
      ]);
  await page.focus('[data-material][tabindex="0"]');
  for (const [key, at] of [
    ['ArrowRight', 1],
    ['ArrowDown', 3],
    ['ArrowLeft', 2],
    ['ArrowUp', 0],
    ['ArrowUp', 0],
    ['End', names.length - 1],
    ['Home', 0],
  ] as const) {
    await page.keyboard.press(key);
    await page.waitForFunction(
      (name: string | null) => document.activeElement?.getAttribute('data-material') === name,
      { timeout: PATIENCE },
      names[at],
    );
    expect(await now()).toEqual([names[at], names[at]]);
  }
  await page.close();
});

it('a table sorts by its heads, and its rows are come to by Tab and gone through by arrows', async () => {
  const { page, errors } = await openPage(browser),
    people = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[];
  await page.goto(`${address}/c/${people.find((row) => row.name === 'Harbour pilot')?.id}/headset-deck/intake`);
  await page.waitForSelector('tr[data-part]');
  await drawn(page);
  const parts = () => page.$$eval('tr[data-part]', (rows) => rows.map((row) => row.getAttribute('data-part'))),
    numbers = () =>
      page.$$eval('tr[data-part] td:nth-child(3)', (cells) =>
        cells.map((cell) => Number(cell.textContent?.replace(/,/g, ''))),
      ),
    sort = (head: string) =>
      page.$$eval(
        'table[aria-label=Parts] th button',
        (heads, wanted) => heads.find((one) => one.textContent?.startsWith(wanted))?.click(),
        head,
      ),
    sorted = () =>
      page.$$eval('table[aria-label=Parts] th', (heads) => heads.map((one) => one.getAttribute('aria-sort')));
  const largestFirst = await numbers();
  expect(largestFirst).toEqual([...largestFirst].sort((a, b) => b - a));
  expect(await sorted()).toEqual([null, null, 'descending', null]);
  await sort('Part');
  const byName = await parts();
  expect(byName).toEqual([...byName].sort((a, b) => String(a).localeCompare(String(b), 'en', { numeric: true })));
  expect(await sorted()).toEqual(['ascending', null, null, null]);
  // One stop for Tab, then arrows; what is come to is chosen.
  expect(await page.$$eval('tr[data-part][tabindex="0"]', (rows) => rows.length)).toBe(1);
  await page.focus('tr[data-part][tabindex="0"]');
  for (const [key, at] of [
    ['ArrowDown', 1],
    ['ArrowDown', 2],
    ['ArrowUp', 1],
    ['End', byName.length - 1],
    ['Home', 0],
  ] as const) {
    await page.keyboard.press(key);
    await page.waitForFunction(
      (part: string | null) =>
        document.activeElement?.getAttribute('data-part') === part &&
        document.activeElement?.getAttribute('aria-selected') === 'true',
      { timeout: PATIENCE },
      byName[at],
    );
  }
  expect(errors).toEqual([]);
  await page.close();
});

it('a map that its pixels contradict is shown with what tells it, and is left or put right as it is told', async () => {
  const { page, errors } = await openPage(browser),
    crane = ((await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[]).find(
      (row) => row.name === 'Crane operator',
    );
  await page.goto(`${address}/c/${crane?.id}/headset-deck/materials`);
  await page.waitForSelector('[data-material=Overalls_Cloth]');
  await drawn(page);
  // A mark on the wall says which.
  await page.waitForSelector('[data-material=Overalls_Cloth] .chip.asks');
  await page.click('[data-material=Overalls_Cloth]');
  const reading = '[data-reading*=overalls]';
  await page.waitForSelector(reading);
  expect(await page.$eval(reading, (card) => card.textContent)).toMatch(
    /roughness map .* gloss: 0\.\d\d in the middle/,
  );
  await page.evaluate((card) => {
    const label = [...document.querySelectorAll<HTMLElement>(`${card} label`)].find(
      (one) => one.textContent === 'Leave',
    );
    label?.click();
  }, reading);
  const recipeNow = async (who = 'Crane operator') => {
    const people = (await (await fetch(`${address}/api/v1/characters`)).json()) as {
        name: string;
        conversions: { id: string; targetId: string }[];
      }[],
      id = people.find((row) => row.name === who)?.conversions.find((entry) => entry.targetId === 'headset-deck')?.id,
      { recipe } = (await (await fetch(`${address}/api/v1/conversions/${id}`)).json()) as {
        recipe: { steps: { id: string; settings: Record<string, unknown> }[] };
      };
    return (step: string) => recipe.steps.find((entry) => entry.id === step)?.settings ?? {};
  };
  const file = String(await page.$eval(reading, (card) => card.getAttribute('data-reading')));
  await expect
    .poll(async () => (await recipeNow())('materials.channels').decided, { timeout: PATIENCE })
    .toEqual({ [file]: 'keep' });
  // A treatment of one's own begins as a copy of what is worn, and is worn from then on.
  await press(page, 'Change a copy');
  await page.waitForSelector('[data-treatment=cloth-matt-changed]');
  await expect
    .poll(async () => (await recipeNow())('materials.treat'), { timeout: PATIENCE })
    .toMatchObject({
      worn: { Overalls_Cloth: 'cloth-matt-changed' },
      own: [{ id: 'cloth-matt-changed', channels: { roughness: { least: 0.5 } } }],
    });
  // Kept for all characters, it can be worn by another one's cloth, as a copy in that one's recipe.
  const kept = async () => (await (await fetch(`${address}/api/v1/treatments`)).json()) as { id: string }[];
  await press(page, 'Keep for all characters');
  await expect.poll(kept, { timeout: PATIENCE }).toMatchObject([{ id: 'cloth-matt-changed' }]);
  await shows(page, '[class*=kept]', /Kept for all characters\./);
  const pilot = ((await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[]).find(
    (row) => row.name === 'Harbour pilot',
  );
  await page.goto(`${address}/c/${pilot?.id}/headset-deck/materials`);
  await page.waitForSelector('[data-material=Jacket_Cloth]');
  await page.click('[data-material=Jacket_Cloth]');
  const card = '[aria-label="Treatment of Jacket_Cloth"]';
  await page.waitForSelector(`${card} optgroup[label="Kept for all characters"]`);
  await page.select(`${card} select`, 'cloth-matt-changed');
  await page.waitForSelector(`${card}[data-treatment=cloth-matt-changed]`);
  await expect
    .poll(async () => (await recipeNow('Harbour pilot'))('materials.treat'), { timeout: PATIENCE })
    .toMatchObject({ worn: { Jacket_Cloth: 'cloth-matt-changed' }, own: [{ id: 'cloth-matt-changed' }] });
  // All of a kind as one.
  await press(page, 'All cloth as one');
  await expect
    .poll(
      async () => {
        const { worn } = (await recipeNow('Harbour pilot'))('materials.treat') as { worn: Record<string, string> };
        return Object.values(worn).filter((id) => id === 'cloth-matt-changed').length;
      },
      { timeout: PATIENCE },
    )
    .toBeGreaterThan(1);
  // What can't be kept is refused with a sentence; what is let go stays in the recipes that wear it.
  const put = async (id: string, body: object) =>
    await fetch(`${address}/api/v1/treatments/${id}`, {
      method: 'PUT',
      headers: { 'content-type': 'application/json' },
      body: JSON.stringify(body),
    });
  const mine = { schema: 1, id: 'mine', title: 'Mine', kinds: [], channels: {} };
  expect((await put('another', mine)).status).toBe(409);
  expect((await put('skin', { ...mine, id: 'skin' })).status).toBe(409);
  expect((await put('mine', { ...mine, channels: { ior: 'wet' } })).status).toBe(422);
  const gone = () => fetch(`${address}/api/v1/treatments/cloth-matt-changed`, { method: 'DELETE' });
  expect((await gone()).status).toBe(204);
  expect((await gone()).status).toBe(404);
  await shows(page, '[class*=kept]', /Keep for all characters/);
  expect((await recipeNow('Harbour pilot'))('materials.treat')).toMatchObject({ own: [{ id: 'cloth-matt-changed' }] });
  expect(errors).toEqual([]);
  await page.close();
});

it('a target says which maps it takes beside the model, how fine and how packed they may be, and what file it is', async () => {
  const { page, errors } = await openPage(browser),
    { id } = (await (
      await fetch(`${address}/api/v1/targets`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({
          ...((await (await fetch(`${address}/api/v1/targets`)).json()) as object[])[0],
          id: 'maps-beside',
          title: 'Maps beside',
        }),
      })
    ).json()) as { id: string };
  await page.goto(`${address}/targets/${id}`);
  interface Textures {
    beside?: { layouts: { name: string }[] };
    packed?: string;
    texelsPerCm?: number;
    asSeen: boolean;
  }
  const saved = async () => {
    const rows = (await (await fetch(`${address}/api/v1/targets`)).json()) as { id: string; textures: Textures }[],
      { beside, packed, texelsPerCm, asSeen } = rows.find((row) => row.id === 'maps-beside')?.textures ?? {};
    return { layouts: beside?.layouts.map((layout) => layout.name), packed, texelsPerCm, asSeen };
  };
  const field = async (label: string) => {
    const found = await page.waitForSelector(`::-p-xpath(//label[starts-with(., "${label}")])`);
    return `[id="${await found?.evaluate((element) => element.getAttribute('for'))}"]`;
  };
  await page.select(await field('Packed for graphics cards'), 'smallest');
  await page.type(await field('Texels per cm'), '12');
  await page.click(await field('No map finer than is seen'));
  await page.select(await field('Maps beside the model'), '1');
  await page.waitForSelector('table[aria-label="Maps beside the model"] tbody tr');
  expect(await page.$$eval('table[aria-label="Maps beside the model"] tbody tr', (rows) => rows.length)).toBe(3);
  await press(page, 'Save');
  await expect.poll(saved, { timeout: PATIENCE }).toEqual({
    layouts: ['{material}_color', '{material}_normal', '{material}_mask'],
    packed: 'smallest',
    texelsPerCm: 12,
    asSeen: true,
  });
  const packaged = async () =>
    ((await (await fetch(`${address}/api/v1/targets`)).json()) as { id: string; package: object }[]).find(
      (row) => row.id === 'maps-beside',
    )?.package;
  // What file a delivery is, and of VRM alone who made the figure.
  expect(await page.$('::-p-xpath(//label[starts-with(., "Authors")])')).toBeNull();
  await page.select(await field('Format'), 'vrm');
  await page.type(await field('Authors'), 'Ines Vell, Tor Askild,');
  await page.select(await field('Used commercially'), 'corporation');
  await page.click(await field('May be passed on'));
  await press(page, 'Save');
  await expect.poll(packaged, { timeout: PATIENCE }).toMatchObject({
    format: 'vrm',
    meta: { authors: ['Ines Vell', 'Tor Askild'], commercialUsage: 'corporation', allowRedistribution: true },
  });
  // Names as they will be, while their pattern is written.
  const cell = (of: string) => `//table[@aria-label="Names"]//td[contains(., "${of}")]`;
  await page.type(await field('Materials are called'), 'M_{target}');
  await page.waitForSelector('::-p-text(With {name} or {n} in it)');
  expect(await page.$(`::-p-xpath(${cell('M_')})`)).toBeNull();
  await page.type(await field('Materials are called'), '_{name}');
  await page.waitForSelector(`::-p-xpath(${cell('M_')})`);
  await page.select(await field('Clips'), 'none');
  await page.click(await field('With a range of motion'));
  await page.type(await field('Parts are called'), '{kind}_{n}');
  await page.waitForSelector(`::-p-xpath(${cell('skin_01')})`);
  // Folders that would climb out are refused where they are written; else the names stand in them.
  await page.type(await field('The model lies in'), 'Cast/..');
  await page.waitForSelector('::-p-text(Folders with / between them, each with a name)');
  await page.type(await field('The model lies in'), 'x/{character}');
  // No folder begins with a dot.
  await page.waitForSelector(`::-p-xpath(${cell('Cast/_x/')})`);
  await page.click(await field('BVH of joints'));
  await press(page, 'Save');
  await expect.poll(packaged, { timeout: PATIENCE }).toMatchObject({
    names: { material: 'M_{target}_{name}', part: '{kind}_{n}' },
    folders: { model: 'Cast/..x/{character}' },
    bvh: true,
    clips: { keep: 'none', rest: false, rangeOfMotion: true },
  });
  // Every field says what it will do to the character at hand, at once.
  const says = (path: string) => page.$eval(`[data-effect="${path}"]`, (found) => found.textContent ?? '');
  expect(await says('triangles.max')).toMatch(/triangles: all stay|come down to/);
  const triangles = await field('Triangles');
  await page.click(triangles, { clickCount: 3 });
  await page.type(triangles, '9');
  await expect.poll(() => says('triangles.max')).toMatch(/triangles come down to 9$/);
  await page.select(await field('Joints'), 'none');
  await expect.poll(() => says('joints.keep')).toMatch(/^its \d+ joints go/);
  expect(errors).toEqual([]);
  await page.close();
});
