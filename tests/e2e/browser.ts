import { mkdtempSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, Page } from 'puppeteer-core';
import { openChromium } from '../../scripts/chromium.mjs';
import { PATIENCE } from './patience.ts';

/** Debian's Chromium, drawing by software, with a profile of its own. */
export async function openBrowser(): Promise<{ browser: Browser; close(): Promise<void> }> {
  const profile = mkdtempSync(join(tmpdir(), 'dimetra-chromium-'));
  const browser = await openChromium({ userDataDir: profile, protocolTimeout: 1.5 * PATIENCE }, [
    '--webgl-antialiasing-mode=none',
  ]);
  return {
    browser,
    async close() {
      await browser.close();
      rmSync(profile, { recursive: true, force: true });
    },
  };
}

/** A page at the design size that notes every error of the console. */
export async function openPage(browser: Pick<Browser, 'newPage'>): Promise<{ page: Page; errors: string[] }> {
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  page.setDefaultTimeout(PATIENCE);
  const errors: string[] = [];
  page.on('pageerror', (error) => errors.push(String((error as Error).message)));
  page.on('console', (message) => {
    if (message.type() === 'error' && !/status of (4|5)\d\d|net::ERR/.test(message.text())) errors.push(message.text());
  });
  return { page, errors };
}

/** Clicks the first visible button or link with this text. */
export async function press(page: Page, text: string, within = 'body'): Promise<void> {
  await page.waitForFunction(
    (wanted: string, root: string) =>
      [...document.querySelectorAll(`${root} button, ${root} a, ${root} [role=menuitem]`)].some(
        (element) => element.textContent?.trim() === wanted,
      ),
    { timeout: PATIENCE },
    text,
    within,
  );
  await page.evaluate(
    (wanted: string, root: string) => {
      const found = [
        ...document.querySelectorAll<HTMLElement>(`${root} button, ${root} a, ${root} [role=menuitem]`),
      ].find((element) => element.textContent?.trim() === wanted);
      found?.click();
    },
    text,
    within,
  );
}

/** Clicks what a selector finds, with the mouse. A menu that is just being drawn anew takes its button away under the pointer: then it is found again. */
export async function click(page: Page, selector: string): Promise<void> {
  for (let left = 4; ; left--) {
    await page.waitForSelector(selector, { timeout: PATIENCE });
    try {
      return await page.click(selector);
    } catch (error) {
      if (!left || !/detached/.test((error as Error).message)) throw error;
    }
  }
}

export const textOf = (page: Page, selector: string): Promise<string> =>
  page.$eval(selector, (element) => element.textContent ?? '');

/** Waits until text stands in an element; says what stands there and what the page tells instead where it doesn't come. */
export async function shows(page: Page, selector: string, pattern: RegExp, timeout = PATIENCE): Promise<void> {
  try {
    await page.waitForFunction(
      (where: string, source: string) =>
        new RegExp(source).test([...document.querySelectorAll(where)].map((element) => element.textContent).join(' ')),
      { timeout },
      selector,
      pattern.source,
    );
  } catch (error) {
    const told = await page
      .evaluate(
        (where: string) =>
          [where, '[role=alert]', '[role=status]', '.mantine-Notifications-root']
            .map((one) => `${one}: ${[...document.querySelectorAll(one)].map((each) => each.textContent).join(' | ')}`)
            .join('\n')
            .slice(0, 2000),
        selector,
      )
      .catch(String);
    throw new Error(`${pattern} did not come on ${page.url()}.\n${told}`, { cause: error });
  }
}

/** Waits until the figure is there and the stage has nothing more to draw: its counter of frames stands still. */
export async function drawn(page: Page): Promise<void> {
  await page.waitForFunction(
    () =>
      document.querySelector<HTMLCanvasElement>('.stage canvas')?.dataset.dressed === 'true' &&
      !document.querySelector('.stage [role=status]'),
    { timeout: PATIENCE },
  );
  const frames = () => page.evaluate(() => (window as unknown as { dimetraFrames?: number }).dimetraFrames ?? 0);
  // Drawn by software, a frame can be late: the counter must stand still for three looks in a row.
  for (let before = await frames(), still = 0, i = 0; still < 3 && i < 200; i++) {
    await new Promise((resolve) => setTimeout(resolve, 300));
    const now = await frames();
    still = now === before && now > 0 ? still + 1 : 0;
    before = now;
  }
}

/** Mean brightness and spread of a rectangle of the stage, from a screenshot: whether something is drawn there. */
export async function stagePixels(page: Page): Promise<{ different: number }> {
  const different = await page.evaluate(() => {
    const canvas = document.querySelector<HTMLCanvasElement>('.stage canvas');
    if (!canvas) return 0;
    const copy = document.createElement('canvas');
    copy.width = 96;
    copy.height = 64;
    const pen = copy.getContext('2d') as CanvasRenderingContext2D;
    pen.drawImage(canvas, 0, 0, 96, 64);
    const { data } = pen.getImageData(0, 0, 96, 64);
    const seen = new Set<number>();
    for (let i = 0; i < data.length; i += 4)
      seen.add(((data[i] >> 4) << 8) | ((data[i + 1] >> 4) << 4) | (data[i + 2] >> 4));
    return seen.size;
  });
  return { different };
}
