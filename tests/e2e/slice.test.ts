import { mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { validateBytes } from 'gltf-validator';
import type { Browser, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { openArchive, standUp, writeArchive, writeCollada, writeGltfFiles } from '@dimetra/core';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { click, drawn, openBrowser, openPage, press, shows, stagePixels, textOf } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
const folder = mkdtempSync(join(tmpdir(), 'dimetra-files-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;

beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
  const session = await page.createCDPSession();
  await session.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
  await page.goto(address);
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

const runDone = async () => {
  await page.waitForFunction(() => document.querySelector('[data-run]') !== null, { timeout: PATIENCE });
};

let people = 0;

describe('the slice, as a user goes through it', () => {
  it('shows the demo character and brings in another from an archive', async () => {
    await page.waitForSelector('[data-character="Harbour pilot"]', { timeout: PATIENCE });
    const files = await writeGltfFiles(stickFigure({ rings: 24, sides: 16 }), 'deck hand');
    writeFileSync(join(folder, 'deck_hand.zip'), writeArchive(files));
    const input = await page.$('input[data-files]');
    await (input as NonNullable<typeof input> & { uploadFile(path: string): Promise<void> }).uploadFile(
      join(folder, 'deck_hand.zip'),
    );
    await shows(page, '.drop', /Deck hand is in/);
    await page.waitForSelector('[data-character="Deck hand"]');
    // Other tests may have left characters behind: what is here now is what shall be here later.
    people = (await page.$$('.person')).length;
    expect(people).toBeGreaterThanOrEqual(6);
  });
  it('refuses a file that is no model with a sentence, and keeps nothing', async () => {
    writeFileSync(join(folder, 'note.txt'), 'no model');
    const input = await page.$('input[data-files]');
    await (input as NonNullable<typeof input> & { uploadFile(path: string): Promise<void> }).uploadFile(
      join(folder, 'note.txt'),
    );
    await shows(page, '.drop [role=alert]', /No model was found/);
    expect((await page.$$('.person')).length).toBe(people);
  });
  it('brings in COLLADA that lies on its back in centimetres, says so, and shows it standing', async () => {
    const lying = stickFigure();
    standUp(lying, { unitMetres: 100, upAxis: '-z', facing: '+z', floor: false });
    writeFileSync(
      join(folder, 'mooring.zip'),
      writeArchive(writeCollada(lying, 'mooring-master', { unitMetres: 0.01, upAxis: 'Z_UP' })),
    );
    const { page: other } = await openPage(browser);
    await other.goto(address);
    const input = await other.waitForSelector('input[data-files]');
    await (input as unknown as { uploadFile(path: string): Promise<void> }).uploadFile(join(folder, 'mooring.zip'));
    await shows(other, '.drop', /Mooring master is in/);
    const [made] = (
      (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[]
    ).filter((row) => row.name === 'Mooring master');
    await other.goto(`${address}/c/${made.id}/browser-viewer/intake`);
    await drawn(other);
    await shows(other, '.bench', /its up axis is Z.*It is stood up/);
    await shows(other, '.bench', /centimetres/);
    expect(await other.$eval('.stage .tag', (tag) => tag.textContent)).toMatch(/1[67]\d\.\d cm/);
    expect((await stagePixels(other)).different).toBeGreaterThan(4);
    await other.close();
    await page.bringToFront();
    await fetch(`${address}/api/v1/characters/${made.id}`, { method: 'DELETE' });
    await page.waitForFunction((count: number) => document.querySelectorAll('.person').length === count, {}, people);
  });
  it('takes a picture of everybody for the cast', async () => {
    await page.waitForFunction(
      (count: number) => document.querySelectorAll('.person .picture img').length === count,
      { timeout: PATIENCE },
      people,
    );
  });
  it('opens it on the stage with its inventory', async () => {
    await click(page, '[data-character="Deck hand"] a.picture');
    await page.waitForSelector('.stage canvas');
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(8);
    await shows(page, '.bench', /Intake/);
    expect(await textOf(page, '.bench')).toMatch(/55 joints, 1 morph targets, 1 materials/);
    expect(await textOf(page, '.ledger')).toContain('55');
  });
  it('answers every look and jump with a new picture', async () => {
    const seen = new Set<number>();
    for (const look of ['Clay', 'Wire', 'Normals', 'Checker', 'Weights', 'Joints', 'Material']) {
      await press(page, look, '.stage-bar');
      await drawn(page);
      seen.add((await stagePixels(page)).different);
    }
    expect(seen.size).toBeGreaterThan(2);
    for (const jump of ['Head', 'Hands', 'Figure']) {
      await press(page, jump, '.stage-bar');
      await drawn(page);
    }
  });
  it('finds what is clicked on the model in the list', async () => {
    await press(page, 'Figure', '.stage-bar');
    await drawn(page);
    const box = await (await page.$('.stage canvas'))?.boundingBox();
    if (!box) throw new Error('no stage');
    // The trunk of the figure: the middle of the stage, a little above the middle of the body.
    for (const dy of [0.3, 0.35, 0.4, 0.45]) {
      await page.mouse.click(box.x + box.width / 2, box.y + box.height * dy);
      if (await page.$('tr[data-part="Body"][aria-selected="true"]')) break;
    }
    expect(await page.$('tr[data-part="Body"][aria-selected="true"]')).not.toBeNull();
    await page.keyboard.press('Escape');
  });
  it('chooses the crowd target, ties a joint by hand, and undoes it', async () => {
    await click(page, '.header .path .crumb:last-of-type');
    await press(page, 'Quayside crowd6,000');
    await shows(page, '.header', /Quayside crowd/);
    await page.keyboard.press('2');
    await page.waitForSelector('[data-joint="neck"]');
    await page.$eval('[data-joint="neck"]', (row) => (row as SVGElement).focus());
    await page.keyboard.press('Delete');
    await shows(page, '[data-joint="neck"]', /✎/);
    await page.waitForSelector('[data-saved="saved"]');
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await page.waitForFunction(() => !document.querySelector('[data-joint="neck"]')?.textContent?.includes('✎'));
  });
  it('ties by dragging a ribbon to another joint, and refuses a tie that would hang a joint from one below it', async () => {
    const drag = async (joint: string, target: string) => {
      const from = await (await page.$(`[data-joint="${joint}"]`))?.boundingBox(),
        to = await (await page.$(`[data-target="${target}"] text`))?.boundingBox();
      if (!from || !to) throw new Error('the loom lacks a row');
      await page.mouse.move(from.x + from.width - 4, from.y + from.height / 2);
      await page.mouse.down();
      await page.mouse.move(to.x + 20, to.y + to.height / 2, { steps: 6 });
      await page.mouse.up();
    };
    await drag('neck', 'chest');
    await shows(
      page,
      '.bench [role=alert]',
      /Not tied.*“neck”, which hangs below it, to Chest; on the target it is the other way round/,
    );
    expect(await textOf(page, '[data-joint="neck"]')).not.toContain('✎');
    await drag('neck', 'upperChest');
    await shows(page, '[data-joint="neck"]', /✎/);
    await press(page, 'Undo 1 by hand', '.bench');
    await page.waitForFunction(() => !document.querySelector('[data-joint="neck"]')?.textContent?.includes('✎'));
  });
  it('changes a budget, runs, and shows source and result', async () => {
    await page.keyboard.press('9');
    await page.waitForSelector('[data-budget="Body"]');
    const field = await page.$('input[aria-label="Triangles for the whole"]');
    await field?.click({ clickCount: 3 });
    await field?.type('3000');
    await page.keyboard.press('Enter');
    await page.waitForSelector('[data-saved="saved"]');
    await click(page, '[data-run]');
    await page.waitForSelector('[aria-label="Progress of the run"]', { timeout: 90_000 }).catch(() => {});
    await runDone();
    await shows(page, '.ledger', /→/);
    await drawn(page);
    await click(page, '[data-station="check"]');
    await shows(page, '.bench', /Parity/);
    const [, after] = /Triangles.*?[\d,]+ → ([\d,]+)/.exec(await textOf(page, '.ledger')) ?? [];
    expect(Number(after.replace(/,/g, ''))).toBeLessThanOrEqual(3000);
    expect(await page.$eval('[data-station="reduce"]', (element) => element.getAttribute('data-state'))).toMatch(
      /done|findings/,
    );
  });
  it('pictures the places where source and result look least alike, and a click looks there', async () => {
    await click(page, '[data-station="check"]');
    await shows(page, '.bench h3', /Appearance.*\d+ sides, worst mean ΔE \d/);
    // A crowd's figure of a few hundred triangles looks different somewhere.
    const pictures = await page.$$eval('[data-look-place] img', (images) =>
      images.map((image) => [(image as HTMLImageElement).naturalWidth, (image as HTMLImageElement).alt]),
    );
    expect(pictures.length).toBeGreaterThanOrEqual(2);
    expect(pictures.slice(0, 2)).toEqual([
      [96, 'Source'],
      [96, 'Result'],
    ]);
    await drawn(page);
    const look = () => page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().length);
    const before = await look();
    await click(page, '[data-look-place]');
    await drawn(page);
    expect(await look()).not.toBe(before);
    await press(page, 'Figure', '.stage');
    await drawn(page);
  });
  it('measures the heat map in the page', async () => {
    await press(page, 'Deviation', '.stage-bar');
    await shows(page, '.stage', /dark within [\d.]+ mm, light beyond: [\d.]+ %/);
    await press(page, 'Material', '.stage-bar');
  });
  it('runs again with nothing changed and takes every step over', async () => {
    const newest = async () =>
        ((await (await fetch(`${address}/api/v1/runs`)).json()) as { id: string; state: string }[])[0],
      before = (await newest())?.id;
    await click(page, '[data-run]');
    for (let i = 0; ; i++) {
      const { id, state } = await newest();
      if (id !== before && state === 'done') break;
      expect(i).toBeLessThan(600);
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
    await page.goto(`${address}/runs`);
    await page.waitForSelector('table[aria-label=Runs] tbody tr');
    const cells = await page.$$eval('table[aria-label=Runs] tbody tr:first-child td', (list) =>
      list.map((cell) => cell.textContent),
    );
    // The figure brings no maps, so the textures step has nothing to do.
    expect(cells[4]).toBe('9');
    await page.goBack();
  });
  it('shows where the two look different, nothing where they are alike', async () => {
    const picture = () => page.$eval('.stage canvas', (element) => (element as HTMLCanvasElement).toDataURL());
    await press(page, 'Source', '.stage');
    await drawn(page);
    const alone = await picture();
    await press(page, 'Difference', '.stage');
    await shows(page, '.stage', /dim is alike/);
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(3);
    expect(await picture()).not.toBe(alone);
    await press(page, 'Pair', '.stage');
  });
  it('hides and isolates a part by key and brings it back, and turns the light', async () => {
    const lit = async () => {
      await drawn(page);
      return page.$eval('.stage canvas', (element) => (element as HTMLCanvasElement).toDataURL());
    };
    await page.keyboard.press('1');
    await page.waitForSelector('tr[data-part="Body"]');
    const whole = await lit();
    await click(page, 'tr[data-part="Body"]');
    await shows(page, '.stage-bar', /Isolate/);
    await page.keyboard.press('h');
    await shows(page, '.stage-bar', /Show all/);
    const hidden = await lit();
    expect(hidden).not.toBe(whole);
    await page.keyboard.press('i');
    await page.waitForFunction(() =>
      [...document.querySelectorAll('.stage-bar button')].some(
        (button) => button.textContent === 'Isolate' && button.getAttribute('aria-pressed') === 'true',
      ),
    );
    await page.keyboard.press('Escape');
    await page.waitForFunction(() => !/Show all/.test(document.querySelector('.stage-bar')?.textContent ?? ''));
    expect(await lit()).toBe(whole);
    await page.evaluate(() => {
      [...document.querySelectorAll<HTMLElement>('.stage-bar button')]
        .find((button) => /^Light/.test(button.textContent ?? ''))
        ?.click();
    });
    await page.waitForSelector('[aria-label="Direction of the key light"]');
    await page.focus('[role=slider][aria-label="Direction of the key light"]');
    for (let i = 0; i < 12; i++) await page.keyboard.press('ArrowRight');
    await shows(page, '.stage-bar', /Light 95°/);
    await page.keyboard.press('Escape');
    expect(await lit()).not.toBe(whole);
  });
  it("moves a part's budget by dragging its corner in the map, and undoes it", async () => {
    await page.keyboard.press('9');
    await page.waitForSelector('[data-budget="Body"]');
    const shown = () => page.$eval('[data-budget="Body"]', (tile) => tile.getAttribute('aria-label') ?? '');
    const before = await shown();
    const box = await (await page.$('[data-budget="Body"] rect:last-of-type'))?.boundingBox();
    if (!box) throw new Error('the tile has no corner');
    await page.mouse.move(box.x + 4, box.y + 4);
    await page.mouse.down();
    await page.mouse.move(box.x - 60, box.y - 40, { steps: 5 });
    await page.mouse.up();
    await page.waitForFunction(
      (old: string) => document.querySelector('[data-budget="Body"]')?.getAttribute('aria-label') !== old,
      {},
      before,
    );
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await page.waitForFunction(
      (old: string) => document.querySelector('[data-budget="Body"]')?.getAttribute('aria-label') === old,
      {},
      before,
    );
    await page.waitForSelector('[data-saved="saved"]');
  });
  it('downloads a package that another reader takes without an error', async () => {
    await page.waitForSelector('[data-station="deliver"]');
    await click(page, '[data-station="deliver"]');
    await page.waitForSelector('[data-download]', { timeout: PATIENCE });
    await click(page, '[data-download]');
    let name: string | undefined;
    for (let i = 0; i < 100 && !name; i++) {
      name = readdirSync(folder).find((file) => /quayside-crowd\.zip$/.test(file));
      await new Promise((resolve) => setTimeout(resolve, 200));
    }
    const files = openArchive(new Uint8Array(readFileSync(join(folder, name as string))), 'package');
    expect(files.map((file) => file.path).sort()).toEqual([
      'deck-hand.glb',
      'manifest.json',
      'report.html',
      'report.json',
    ]);
    const model = files.find((file) => file.path === 'deck-hand.glb');
    expect((await validateBytes(model?.bytes as Uint8Array)).issues.numErrors).toBe(0);
  });
  it('opens the report with its chart', async () => {
    const desk = page.url();
    await press(page, 'Open report', '.bench');
    await page.waitForSelector('.apexcharts-bar-area', { timeout: PATIENCE });
    await page.waitForSelector('iframe[title="Report of the delivery"]');
    await page.goto(desk);
    await page.waitForSelector('[data-station="reduce"]');
  });
  it('keeps its decisions and its place over a reload', async () => {
    await page.keyboard.press('9');
    await page.reload();
    await page.waitForSelector('input[aria-label="Triangles for the whole"]');
    await page.waitForFunction(
      () => document.querySelector<HTMLInputElement>('input[aria-label="Triangles for the whole"]')?.value === '3,000',
    );
  });
  it('tells the second of two windows that the recipe was changed, and loads it', async () => {
    const { page: second } = await openPage(browser);
    await second.goto(page.url());
    await second.waitForSelector('[data-budget="Body"]');
    const field = await second.$('input[aria-label="Triangles for the whole"]');
    await field?.click({ clickCount: 3 });
    await field?.type('2500');
    await second.keyboard.press('Enter');
    await second.waitForSelector('[data-saved="saved"]');
    await page.bringToFront();
    await page.waitForFunction(
      () => document.querySelector<HTMLInputElement>('input[aria-label="Triangles for the whole"]')?.value === '2,500',
      { timeout: PATIENCE },
    );
    await second.close();
  });
  it('shows designed empty and failed pages, and no error in the console on the way', async () => {
    await page.goto(`${address}/nowhere`);
    await shows(page, 'h1', /Nothing is at this address/);
    await page.goto(`${address}/c/00000000-0000-0000-0000-000000000000`);
    await shows(page, 'h1', /can't be opened/);
    expect(errors).toEqual([]);
  });
});
