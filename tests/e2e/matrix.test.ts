import type { Browser, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { writeGlb } from '@dimetra/core';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { openBrowser, openPage, press, shows } from './browser.ts';

const address = inject('address');
let browser: Browser, close: () => Promise<void>, page: Page, errors: string[];
beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
  for (const [name, rings] of [
    ['lamp-mate', 12],
    ['lamp-cook', 14],
  ] as const) {
    const form = new FormData();
    form.append(
      'files',
      new Blob([(await writeGlb(stickFigure({ rings, sides: 10 }))) as Uint8Array<ArrayBuffer>]),
      `${name}.glb`,
    );
    const answer = await fetch(`${address}/api/v1/characters`, { method: 'POST', body: form });
    expect(answer.status).toBe(201);
  }
});
afterAll(async () => {
  const rows = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[];
  for (const { id, name } of rows)
    if (/^lamp/i.test(name)) await fetch(`${address}/api/v1/characters/${id}`, { method: 'DELETE' });
  await close();
});
const cell = (name: string, target: string) => `[data-cell="${name}/${target}"]`;

describe('cast by targets', () => {
  it('is come to from the cast, and shows everybody beside every target', async () => {
    await page.goto(address);
    await press(page, 'Cast by targets');
    await shows(page, 'h1', /Cast by targets/);
    await page.waitForSelector(cell('Lamp mate', 'quayside-crowd'));
    await shows(page, '[data-summary]', /\d+ of \d+ deliverable/);
    const [people, targets, cells] = await page.$eval('table[aria-label="Cast by targets"]', (table) => [
      table.querySelectorAll('tbody tr').length,
      table.querySelectorAll('thead th').length,
      table.querySelectorAll('[data-cell]').length,
    ]);
    expect(cells).toBe(people * targets);
    expect(targets).toBeGreaterThanOrEqual(8);
    expect(await page.$eval(cell('Lamp mate', 'quayside-crowd'), (one) => one.textContent)).toBe('–');
  });
  it('chooses by key, by row and by what isn’t delivered, and runs what is chosen', async () => {
    await page.focus(`${cell('Lamp mate', 'quayside-crowd')} input`);
    await page.keyboard.press('Space');
    await page.focus(`${cell('Lamp cook', 'quayside-crowd')} input`);
    await page.keyboard.press('Space');
    await shows(page, 'main', /Run the 2 chosen/);
    await press(page, 'Lamp mate', 'tbody');
    // Every target for the one, with the cook's; other tests make targets too.
    const targets = await page.$$eval('table[aria-label="Cast by targets"] thead th', (heads) => heads.length);
    await shows(page, 'main', new RegExp(`Run the ${targets + 1} chosen`));
    await press(page, 'Lamp mate', 'tbody');
    await shows(page, 'main', /Run the 1 chosen/);
    await page.click(`${cell('Lamp mate', 'quayside-crowd')} input`);
    await press(page, 'Run the 2 chosen');
    await shows(page, '[data-summary]', /at work/);
    // Whoever is at work can't be chosen again.
    await page.waitForFunction(
      (selector: string) => document.querySelector<HTMLInputElement>(selector)?.disabled,
      { timeout: 60_000 },
      `${cell('Lamp cook', 'quayside-crowd')} input`,
    );
    for (const name of ['Lamp mate', 'Lamp cook'])
      await shows(page, cell(name, 'quayside-crowd'), /● deliverable|◐ deliverable|■ \d+ block/);
    await page.waitForSelector('table[aria-label="What came of it, the worst first"]');
    const rows = await page.$$eval('table[aria-label="What came of it, the worst first"] tbody tr', (list) =>
      list.map((row) => row.textContent ?? ''),
    );
    expect(rows.filter((row) => row.startsWith('Lamp'))).toHaveLength(2);
    await press(page, 'Choose what isn’t deliverable');
    await shows(page, 'main', /Run the \d+ chosen/);
    await press(page, 'Choose none');
    await shows(page, 'main', /Run what is chosen/);
  });
  it('stops what runs', async () => {
    await page.click(`${cell('Lamp cook', 'bridge-close-up')} input`);
    await page.click(`${cell('Lamp cook', 'browser-viewer')} input`);
    await press(page, 'Run the 2 chosen');
    await page.waitForFunction(() => /Stop (all|the one)/.test(document.querySelector('main')?.textContent ?? ''));
    await page.evaluate(() => {
      [...document.querySelectorAll<HTMLButtonElement>('main button')]
        .find((button) => /^Stop /.test(button.textContent ?? ''))
        ?.click();
    });
    await page.waitForFunction(() => !/at work/.test(document.querySelector('[data-summary]')?.textContent ?? ''), {
      timeout: 90_000,
    });
    expect(errors).toEqual([]);
  });
});
