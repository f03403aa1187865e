import type { Browser, HTTPRequest, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { drawn, openBrowser, openPage, shows, stagePixels } from './browser.ts';

const address = inject('address');
let browser: Browser, close: () => Promise<void>, desk: string;

beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  const people = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[];
  desk = `${address}/c/${people.find((row) => row.name === 'Harbour pilot')?.id}/headset-deck`;
});
afterAll(() => close?.());

/** Answers every request that `takes` says, instead of the server. */
async function answerWith(page: Page, takes: (request: HTTPRequest) => boolean, answer: () => object | null) {
  await page.setRequestInterception(true);
  page.on('request', (request) => {
    const said = takes(request) ? answer() : null;
    if (said) void request.respond({ contentType: 'application/json', body: JSON.stringify(said) });
    else void request.continue();
  });
}

describe('the page survives', () => {
  it('a lost drawing context: it says so, and the same picture is there again', async () => {
    const { page, errors } = await openPage(browser);
    await page.goto(`${desk}/intake`);
    await drawn(page);
    const before = await stagePixels(page);
    await page.evaluate(() => {
      const gl = document.querySelector<HTMLCanvasElement>('.stage canvas')?.getContext('webgl2'),
        hold = gl?.getExtension('WEBGL_lose_context');
      (window as unknown as { hold: typeof hold }).hold = hold;
      hold?.loseContext();
    });
    await shows(page, '.stage [role=alert]', /took the drawing away/);
    await page.evaluate(() => (window as unknown as { hold: WEBGL_lose_context }).hold.restoreContext());
    await page.waitForFunction(() => !document.querySelector('.stage [role=alert]'));
    await drawn(page);
    // The room's light and all maps are there again: as many colours as before, give or take noise.
    const after = await stagePixels(page);
    expect(before.different).toBeGreaterThan(8);
    expect(after.different).toBeGreaterThan(before.different * 0.8);
    expect(errors.filter((line) => !/context lost/i.test(line))).toEqual([]);
    await page.close();
  });

  it('an area that breaks: the others go on, and another station stands', async () => {
    const { page } = await openPage(browser),
      id = desk.split('/').at(-2) as string,
      post = async (path: string, body?: object) =>
        (await fetch(`${address}/api/v1/${path}`, {
          method: 'POST',
          headers: { 'content-type': 'application/json' },
          body: body && JSON.stringify(body),
        }).then((answer) => answer.json())) as { id: string };
    const conversion = await post('conversions', { characterId: id, targetId: 'headset-deck' }),
      run = await post(`conversions/${conversion.id}/runs`);
    let done = (await (await fetch(`${address}/api/v1/runs/${run.id}`)).json()) as { state: string; parity: object };
    for (let i = 0; i < 300 && done.state !== 'done'; i++) {
      await new Promise((resolve) => setTimeout(resolve, 400));
      done = await (await fetch(`${address}/api/v1/runs/${run.id}`)).json();
    }
    // Distances whose rows are no list: only the check station reads them.
    const spoiled = { ...done, parity: { ...done.parity, shape: { rest: {}, parts: 7, morphs: 7, poses: 7 } } };
    await answerWith(
      page,
      (request) => request.url().endsWith(`/runs/${run.id}`),
      () => spoiled,
    );
    await page.goto(`${desk}/check`);
    await shows(page, '[role=alert][aria-label="The bench stopped"]', /stopped on an error.*your work is saved/);
    await shows(page, 'header', /Harbour pilot/);
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(8);
    await page.evaluate(() => {
      const stations = [...document.querySelectorAll<HTMLElement>('.station')];
      stations.find((one) => one.textContent?.includes('Materials'))?.click();
    });
    await page.waitForFunction(() => !document.querySelector('[aria-label="The bench stopped"]'));
    await shows(page, '.bench h2', /Materials/);
    await page.close();
  });
});
