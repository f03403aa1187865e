import type { Browser } from 'puppeteer-core';
import { afterAll, beforeAll, expect, inject, it } from 'vitest';
import { drawn, openBrowser, openPage } from './browser.ts';

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
  const met = new Set<string>();
  for (let i = 0; i < pilot.morphs; i++) {
    met.add(await page.evaluate(() => document.activeElement?.getAttribute('aria-label') ?? ''));
    await page.keyboard.press('Tab');
  }
  expect([...met].filter((name) => name.startsWith('Dial '))).toHaveLength(pilot.morphs);
  expect(await dials()).toBeLessThan(40);
  expect(await page.$eval('.bench [data-filter]', (field) => field.isConnected)).toBe(true);
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
      { timeout: 60_000 },
      names[at],
    );
    expect(await now()).toEqual([names[at], names[at]]);
  }
  await page.close();
});
