import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, ElementHandle, Page } from 'puppeteer-core';
import sharp from 'sharp';
import { afterAll, beforeAll, expect, inject, it } from 'vitest';
import { readCharacter, writeArchive, writeObj } from '@dimetra/core';
import { SMALL } from '../../packages/cast/src/figure.ts';
import { buildPerson, personById } from '../../packages/cast/src/index.ts';
import { writeFigure } from '../../packages/cast/src/write.ts';
import { drawn, openBrowser, openPage, press, shows } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
const folder = mkdtempSync(join(tmpdir(), 'dimetra-fit-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;
beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

const ROW = 'table[aria-label="Joints found"] tr';
/** What a row of the table says. */
const said = (joint: string) =>
  page.evaluate(
    (rows: string, wanted: string) =>
      [...document.querySelectorAll(rows)].find((row) => row.firstElementChild?.textContent === wanted)?.textContent ??
      '',
    ROW,
    joint,
  );
const says = (joint: string, text: string) =>
  page.waitForFunction(
    (rows: string, wanted: string, words: string) =>
      [...document.querySelectorAll(rows)]
        .find((row) => row.firstElementChild?.textContent === wanted)
        ?.textContent?.includes(words),
    { timeout: PATIENCE },
    ROW,
    joint,
    text,
  );

it('a mesh without a skeleton is given one: joints found, put elsewhere by mouse and keys, taken back, bound and delivered', async () => {
  const deckhand = buildPerson(personById('deckhand'), { coarse: SMALL, progress() {} }),
    files = writeObj(writeFigure(deckhand, new Map(), new Map(), 'Deckhand'), 'deckhand-cast');
  expect((await readCharacter(files)).document.getRoot().listSkins()).toEqual([]);
  writeFileSync(join(folder, 'figurehead.zip'), writeArchive(files));
  await page.goto(address);
  const input = (await page.waitForSelector('input[data-files]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(join(folder, 'figurehead.zip'));
  await shows(page, '.drop', /is in/);
  const rows = (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[],
    { id } = rows.find(({ name }) => /figurehead|deckhand cast/i.test(name)) as (typeof rows)[number];
  await page.goto(`${address}/c/${id}/headset-deck/fit`);
  await page.waitForSelector(ROW, { timeout: PATIENCE });
  await drawn(page);
  await says('right elbow', 'proportion alone');
  expect(await said('left eye')).toContain('by the eyes');

  // Dots of joints that are assumed are yellow, and in clay nothing else is: on the right side the elbow's is the highest.
  await press(page, 'Clay', '.stage');
  await drawn(page);
  const { data, info } = await sharp(await page.screenshot())
    .removeAlpha()
    .raw()
    .toBuffer({ resolveWithObject: true });
  let dot: [number, number] | null = null;
  for (let y = 120; y < 640 && !dot; y++)
    for (let x = 0; x < 430 && !dot; x++) {
      const [r, g, b] = data.subarray((x + y * info.width) * 3);
      if (r > 205 && g > 150 && g < 195 && b < 100) dot = [x + 2, y + 1];
    }
  expect(dot).not.toBeNull();
  const [x, y] = dot as [number, number];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x - 10, y - 12, { steps: 3 });
  await page.mouse.move(x - 20, y - 24, { steps: 3 });
  await page.mouse.up();
  await says('right elbow', 'put by hand');
  await page.waitForSelector('[aria-label="Place of the right elbow"]');
  const fields = () =>
    page.$$eval('[aria-label="Place of the right elbow"] input', (found) =>
      found.map((field) => Number((field as HTMLInputElement).value)),
    );
  const dragged = await fields();
  await page.focus('[aria-label="Place of the right elbow"] input');
  await page.keyboard.press('ArrowUp');
  await page.waitForFunction(
    (before: number) =>
      Number(document.querySelector<HTMLInputElement>('[aria-label="Place of the right elbow"] input')?.value) > before,
    {},
    dragged[0],
  );
  await page.evaluate(() => (document.activeElement as HTMLElement | null)?.blur());
  // Each is a decision of its own, and taken back alone.
  await page.keyboard.down('Control');
  await page.keyboard.press('z');
  await page.keyboard.up('Control');
  await page.waitForFunction(
    (before: number) =>
      Number(document.querySelector<HTMLInputElement>('[aria-label="Place of the right elbow"] input')?.value) ===
      before,
    {},
    dragged[0],
  );
  await press(page, 'Back to where it was found', '[aria-label="Place of the right elbow"]');
  await says('right elbow', 'proportion alone');
  await page.select('select', 'tessel');
  await shows(page, '.bench', /joints of Tessel/);

  await press(page, 'Run');
  type Run = {
    id: string;
    state: string;
    steps: { id: string; measures: { name: string; result: number }[] }[];
    checks: { rule: string; ok: boolean }[];
  };
  const newest = async (): Promise<Run | undefined> => {
    const runs = (await (await fetch(`${address}/api/v1/runs`)).json()) as { id: string; characterId: string }[],
      own = runs.find((row) => row.characterId === id);
    return own && ((await (await fetch(`${address}/api/v1/runs/${own.id}`)).json()) as Run);
  };
  let done: Run | undefined;
  for (let i = 0; i < 600 && done?.state !== 'done'; i++) {
    await new Promise((resolve) => setTimeout(resolve, 300));
    done = await newest();
    expect(['failed', 'cancelled']).not.toContain(done?.state);
  }
  const steps = done?.steps.map((step) => step.id) ?? [];
  expect(steps.indexOf('fit.skeleton')).toBeGreaterThanOrEqual(0);
  expect(steps.indexOf('weights.bind')).toBeGreaterThan(steps.indexOf('fit.skeleton'));
  expect(done?.checks.filter(({ rule, ok }) => !ok && /^(joints|weights|rest|parity\.pose)/.test(rule))).toEqual([]);
  await shows(page, '.line', /Fit0 → \d\d/);
  // Nothing is fitted to who has a skeleton.
  const pilot = rows.find(({ name }) => name === 'Harbour pilot');
  await page.goto(`${address}/c/${pilot?.id}/headset-deck/fit`);
  await shows(page, '.bench', /came with a skeleton/);
  expect(await page.$(ROW)).toBeNull();
  expect(errors).toEqual([]);
});
