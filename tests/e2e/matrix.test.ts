import type { Browser, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { writeGlb } from '@dimetra/core';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { openBrowser, openPage, press, shows } from './browser.ts';
import { PATIENCE } from './patience.ts';

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
      { timeout: PATIENCE },
      `${cell('Lamp cook', 'quayside-crowd')} input`,
    );
    for (const name of ['Lamp mate', 'Lamp cook'])
      await shows(page, cell(name, 'quayside-crowd'), /● deliverable|◐ deliverable|■ \d+ block/);
    await page.waitForSelector('table[aria-label="What came of it, the worst first"]');
    const rows = await page.$$eval('table[aria-label="What came of it, the worst first"] tbody tr', (list) =>
      list.map((row) => row.textContent ?? ''),
    );
    expect(rows.filter((row) => row.startsWith('Lamp'))).toHaveLength(2);
    // Each result as it is drawn, and what it was made from beside it: two other pictures.
    const pictures = async (wanted: number) => {
      await page.waitForFunction(
        (least: number) => {
          const found = [...document.querySelectorAll<HTMLImageElement>('[aria-label="Contact sheet"] img')].filter(
            ({ alt }) => alt.startsWith('Lamp'),
          );
          for (const one of found) one.scrollIntoView();
          return found.length === least && found.every(({ naturalWidth }) => naturalWidth === 384);
        },
        { timeout: PATIENCE },
        wanted,
      );
      return page.$$eval('[aria-label="Contact sheet"] img', (found) =>
        found.flatMap((one) =>
          (one as HTMLImageElement).alt.startsWith('Lamp') ? [(one as HTMLImageElement).src] : [],
        ),
      );
    };
    expect(await pictures(2)).toHaveLength(2);
    await press(page, 'Beside the source', '[aria-label="Contact sheet"]');
    const [source, result] = await Promise.all(
      (await pictures(4)).slice(0, 2).map(async (url) => Buffer.from(await (await fetch(url)).arrayBuffer())),
    );
    expect([source[0], source[1], source.equals(result)]).toEqual([0xff, 0xd8, false]);
    await press(page, 'Choose what isn’t deliverable');
    await shows(page, 'main', /Run the \d+ chosen/);
    await press(page, 'Choose none');
    await shows(page, 'main', /Run what is chosen/);
  });
  it('a rule that blocks is only noted where its target is told so, from the next run on', async () => {
    const [shipped] = (await (await fetch(`${address}/api/v1/targets`)).json()) as object[],
      ask = async (path: string, method: string, body?: object) =>
        (await (
          await fetch(`${address}/api/v1/${path}`, {
            method,
            headers: { 'content-type': 'application/json' },
            body: body && JSON.stringify(body),
          })
        ).json()) as { id: string; state: string };
    await ask('targets', 'POST', {
      ...shipped,
      id: 'lamp-tall',
      title: 'Lamp tall',
      heightCm: { min: 210, max: 219 },
      appearance: { noteOnly: ['other', 'changed', 'drawn', 'cover'] },
    });
    const people = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[],
      characterId = people.find(({ name }) => name === 'Lamp mate')?.id,
      { id } = await ask('conversions', 'POST', { characterId, targetId: 'lamp-tall' }),
      runOnce = async () => {
        const run = await ask(`conversions/${id}/runs`, 'POST', {});
        for (;;) {
          const { state } = await ask(`runs/${run.id}`, 'GET');
          if (state === 'done') return;
          expect(['queued', 'running']).toContain(state);
          await new Promise((resolve) => setTimeout(resolve, 300));
        }
      };
    try {
      await runOnce();
      await page.goto(`${address}/c/${characterId}/lamp-tall/check`);
      await shows(page, '[data-verdict=blocks]', /blocks? delivery/);
      expect(
        await page.$$eval('.card.blocks [data-weigh]', (found) => found.map((one) => one.getAttribute('data-weigh'))),
      ).toEqual(['stance.height']);
      await press(page, 'Only note it for Lamp tall', '.bench');
      await shows(page, '.bench', /Changed; run it again/);
      await runOnce();
      // Deliver tells what that changed since the run before.
      await page.goto(`${address}/c/${characterId}/lamp-tall/deliver`);
      await shows(page, '[data-verdict=noted]', /noted/);
      await shows(page, '[aria-label="Since an earlier delivery"]', /blocks? delivery.* → .*noted/);
      await page.goto(`${address}/targets/lamp-tall`);
      await shows(page, 'main', /stance\.height/);
      // Levels, a grade and a limit of a kind of part are asked for by hand, and saved with the rest.
      await press(page, 'Add a level');
      await press(page, 'Add a grade');
      await page.select(
        await page.evaluate(
          () =>
            `#${CSS.escape([...document.querySelectorAll('label')].find(({ textContent }) => textContent === 'A kind of part has a limit')?.htmlFor ?? '')}`,
        ),
        'hair',
      );
      await press(page, 'Save');
      await page.waitForFunction(
        async () => {
          const rows = (await (await fetch('/api/v1/targets')).json()) as {
              id: string;
              triangles: { max: number; parts?: { hair?: number } };
              package: { levels?: { triangles: number }[] };
              grades?: { id: string; triangles: number }[];
            }[],
            found = rows.find(({ id }) => id === 'lamp-tall'),
            most = found?.triangles.max ?? 0;
          return (
            (found?.package.levels?.[0].triangles ?? most) < most &&
            (found?.grades?.[0].triangles ?? most) < most &&
            (found?.triangles.parts?.hair ?? most) < most
          );
        },
        { timeout: PATIENCE, polling: 300 },
      );
    } finally {
      await ask('targets/lamp-tall', 'DELETE').catch(() => {});
      await page.goto(`${address}/matrix`);
      await page.waitForSelector(cell('Lamp cook', 'bridge-close-up'));
    }
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
      timeout: PATIENCE,
    });
    expect(errors).toEqual([]);
  });
});
