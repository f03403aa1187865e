import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { type Document, WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { unzipSync } from 'fflate';
import type { Browser, ElementHandle, Page } from 'puppeteer-core';
import { afterAll, beforeAll, expect, inject, it } from 'vitest';
import { openBrowser, openPage, press, shows } from './browser.ts';
import { PATIENCE } from './patience.ts';

const TARGET = 'deck-by-distance',
  address = inject('address'),
  folder = mkdtempSync(join(tmpdir(), 'dimetra-proving-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;
let run: { id: string; deliveryId: string }, character: string, files: Record<string, Uint8Array>;

const json = async <T>(path: string, body?: object): Promise<T> =>
  (await (
    await fetch(
      `${address}/api/v1/${path}`,
      body && { method: 'POST', headers: { 'content-type': 'application/json' }, body: JSON.stringify(body) },
    )
  ).json()) as T;

beforeAll(async () => {
  const people = await json<{ id: string; name: string }[]>('characters');
  character = people.find(({ name }) => name === 'Harbour pilot')?.id ?? '';
  const shipped = (await json<{ id: string; package: object }[]>('targets')).find(
      ({ id: own }) => own === 'headset-deck',
    ),
    { shipped: _, ...base } = shipped as typeof shipped & { shipped: boolean };
  // Two levels further away, in the file of the nearest.
  await json('targets', {
    ...base,
    id: TARGET,
    title: 'Deck by distance',
    package: {
      ...base.package,
      levels: [
        { triangles: 10_000, fromM: 6 },
        { triangles: 5000, fromM: 12, morphs: false },
      ],
      levelsIn: 'one',
    },
  });
  const { id } = await json<{ id: string }>('conversions', { characterId: character, targetId: TARGET }),
    asked = await json<{ id: string }>(`conversions/${id}/runs`, {});
  for (;;) {
    const found = await json<{ id: string; state: string; deliveryId: string }>(`runs/${asked.id}`);
    if (found.state === 'done') {
      run = found;
      break;
    }
    if (found.state === 'failed') throw new Error('the run failed');
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
  const archive = await fetch(`${address}/api/v1/deliveries/${run.deliveryId}/trial`);
  files = unzipSync(new Uint8Array(await archive.arrayBuffer()));
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
  // The quay is drawn again and again, by software: as many pixels as these tests need.
  await page.setViewport({ width: 760, height: 420 });
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

const state = (wanted: string) => page.waitForSelector(`[data-proving=${wanted}]`, { timeout: PATIENCE }),
  faults = () => page.$$eval('[data-fault]', (found) => found.map((one) => one.getAttribute('data-fault')));

/** Puts files on the quay as somebody would who chooses them. */
async function give(named: Record<string, Uint8Array | string>, wanted: 'ready' | 'failed'): Promise<void> {
  const input = (await page.waitForSelector('[data-try]')) as ElementHandle<HTMLInputElement>,
    paths = Object.entries(named).map(([name, content]) => {
      writeFileSync(join(folder, name), content);
      return join(folder, name);
    });
  await input.uploadFile(...paths);
  // Its name stands there from when it was asked for.
  await shows(page, '.bench h2', new RegExp(paths.length > 1 ? `${paths.length} files` : Object.keys(named)[0]));
  await page.waitForFunction(
    (end: string) => document.querySelector('[data-proving]')?.getAttribute('data-proving') === end,
    { timeout: PATIENCE },
    wanted,
  );
}

/** The delivered model, spoilt by a library that isn't ours. */
async function spoilt(spoil: (document: Document) => void): Promise<Record<string, Uint8Array>> {
  const io = new WebIO().registerExtensions(ALL_EXTENSIONS),
    [model] = Object.keys(files).filter((path) => path.endsWith('.glb')),
    document = await io.readBinary(files[model]);
  spoil(document);
  return { 'spoilt.glb': await io.writeBinary(document), 'report.json': files['report.json'] };
}

it('a delivered package is tried: opened by another loader, nothing wrong, walked, run and climbed by keys', async () => {
  await page.goto(`${address}/c/${character}/${TARGET}/deliver`);
  await press(page, 'Try it in the proving ground', '.bench');
  await state('ready');
  expect(page.url()).toContain(`/proving/${run.id}`);
  await shows(page, '.bench', /was opened by a glTF loader in/);
  expect(await faults()).toEqual([]);
  await shows(page, '[data-faults="0"]', /Nothing goes wrong here/);
  // What it costs is what the report says, against what the target allows.
  const { result } = JSON.parse(new TextDecoder().decode(files['report.json'])) as { result: { triangles: number } };
  await shows(page, '[data-cost=Triangles]', new RegExp(`${result.triangles.toLocaleString('en-GB')} of 20,000`));
  // The camera to the south, looking north.
  const yaw = 0.35 / 0.006;
  await page.mouse.move(200, 150);
  await page.mouse.down();
  await page.mouse.move(200 + yaw, 150, { steps: 3 });
  await page.mouse.up();
  await page.focus('canvas');
  const doing = (wanted: string) => page.waitForSelector(`[data-doing=${wanted}]`, { timeout: PATIENCE });
  await page.keyboard.down('Shift');
  await page.keyboard.down('ArrowUp');
  await doing('run');
  await page.keyboard.up('Shift');
  await page.keyboard.up('ArrowUp');
  await page.keyboard.down('ArrowUp');
  await doing('climb');
  await page.waitForFunction(() => Number(document.querySelector('[data-proving]')?.getAttribute('data-y')) > 0.3, {
    timeout: PATIENCE,
  });
  await page.keyboard.up('ArrowUp');
  await shows(page, '[aria-label="The quay"]', /climbs/);
  expect(errors).toEqual([]);
});

it('a crowd, another light, morphs and motions are had by keys alone; the crowd costs what it costs', async () => {
  const draws = async () =>
      Number((await page.$eval('[data-cost="Draws, all seen"] b', (cell) => cell.textContent))?.replace(/,/g, '')),
    alone = await draws(),
    figure = Number(await page.$eval('[data-cost="Draws, figure"] b', (cell) => cell.textContent));
  await page.focus('[aria-label="How many others"]');
  for (let i = 0; i < 3; i++) await page.keyboard.press('ArrowRight');
  await page.waitForFunction(
    (least: number) =>
      Number(document.querySelector('[data-cost="Draws, all seen"] b')?.textContent?.replace(/,/g, '')) >= least,
    { timeout: PATIENCE },
    alone + 3 * figure,
  );
  await page.focus('[aria-label="Dial smile"]');
  await page.keyboard.press('End');
  await shows(page, '.bench', /1\.00/);
  await press(page, 'All to 0', '.bench');
  await page.select('#move-walk', await page.$eval('#move-run', (field) => (field as HTMLSelectElement).value));
  expect(errors).toEqual([]);
});

it('levels of detail are switched by distance, for it and for the crowd, or one of them is held', async () => {
  const level = (wanted: number) => page.waitForSelector(`table[data-level="${wanted}"]`, { timeout: PATIENCE }),
    rows = () =>
      page.$$eval('[aria-label="Levels of detail"] tbody tr', (found) =>
        found.map((row) => [...row.querySelectorAll('td')].map((cell) => cell.textContent ?? '')),
      );
  await level(0);
  const triangles = (await rows()).map(([, , count]) => Number(count.replace(/,/g, '')));
  expect(triangles).toHaveLength(3);
  expect(triangles[1]).toBeLessThanOrEqual(10_000);
  expect(triangles[2]).toBeLessThanOrEqual(5000);
  await page.focus('canvas');
  for (let i = 0; i < 40; i++) await page.keyboard.press('Minus');
  await level(2);
  // The three others stand as far away.
  await page.waitForFunction(
    () =>
      document.querySelector('[aria-label="Levels of detail"] tbody tr:last-child td:last-child')?.textContent === '3',
    { timeout: PATIENCE },
  );
  await page.evaluate(() => {
    [...document.querySelectorAll<HTMLElement>('[aria-label="Which level is shown"] label')]
      .find((label) => label.textContent === '1')
      ?.click();
  });
  await level(1);
  expect(errors).toEqual([]);
});

it('what goes wrong there is found, with the station that mends it', async () => {
  await give(
    await spoilt((document) => {
      const [scene] = document.getRoot().listScenes(),
        turned = document.createNode('turned').setRotation([-Math.SQRT1_2, 0, 0, Math.SQRT1_2]);
      for (const node of scene.listChildren()) if (!node.getSkin()) turned.addChild(node);
      scene.addChild(turned);
    }),
    'ready',
  );
  // The library knows nothing of levels and wrote none: that is found too.
  expect(await faults()).toEqual(['lying', 'levels']);
  await give(
    await spoilt((document) => {
      const [scene] = document.getRoot().listScenes(),
        large = document.createNode('large').setScale([100, 100, 100]);
      for (const node of scene.listChildren()) if (!node.getSkin()) large.addChild(node);
      scene.addChild(large);
      document
        .getRoot()
        .listMaterials()
        .find((material) => material.getBaseColorTexture())
        ?.setBaseColorTexture(null);
      for (const clip of document.getRoot().listAnimations()) clip.setName('Something else');
    }),
    'ready',
  );
  expect(await faults()).toEqual(['unit', 'clips', 'levels', 'white baseColor']);
  await shows(page, '[data-fault=unit]', /stands 1\d\d\.\d m tall.*Intake/);
  // What can't be opened is told; what stands there stays, and the next one is tried as ever.
  await give({ 'broken.glb': new Uint8Array([0x67, 0x6c, 0x54, 0x46, 2, 0, 0, 0]) }, 'failed');
  await shows(page, '.bench [role=alert]', /The loader for \.glb doesn't open “broken\.glb”/);
  await give({ 'notes.txt': 'no model' }, 'failed');
  await shows(page, '.bench [role=alert]', /There is no model here: notes\.txt/);
  // From here on it is held in a hand.
  await page.setViewport({ width: 760, height: 420, hasTouch: true });
  await page.goto(`${address}/proving/${run.id}`);
  await state('ready');
  expect(await faults()).toEqual([]);
});

it('fingers walk it, look round, bring it nearer and point where it goes; the page says how', async () => {
  const doing = (wanted: string) => page.waitForSelector(`[data-doing=${wanted}]`, { timeout: PATIENCE }),
    at = () =>
      page.$eval('[data-proving]', (quay) => [
        Number(quay.getAttribute('data-x')),
        Number(quay.getAttribute('data-z')),
      ]),
    said = (text: string) =>
      page.$$eval(
        '[aria-label="The quay"] span',
        (found, wanted) => {
          const span = found.find((one) => one.textContent === wanted) as HTMLElement | undefined;
          return (span?.offsetWidth ?? 0) > 0;
        },
        text,
      );
  expect(await said('left half: push to walk, further to run')).toBe(true);
  expect(await said('drag: look round')).toBe(false);
  // A stick, pushed back and further: it comes nearer, at a run.
  const start = await at(),
    stick = await page.touchscreen.touchStart(90, 260);
  await stick.move(90, 300);
  await doing('walk');
  await page.waitForSelector('[data-stick=walk]');
  await stick.move(90, 400);
  await page.waitForSelector('[data-stick=run]');
  await doing('run');
  // The other hand looks round meanwhile, and nobody stops for it.
  const other = await page.touchscreen.touchStart(300, 200);
  await other.move(330, 205);
  await other.end();
  await page.waitForSelector('[data-stick=run]');
  await stick.end();
  await doing('idle');
  expect(await page.$('[data-stick]')).toBeNull();
  const stopped = await at();
  expect(Math.hypot(stopped[0] - start[0], stopped[1] - start[1])).toBeGreaterThan(0.3);
  // Two fingers come together, one on either half: as far away as its last level.
  const hand = await page.createCDPSession(),
    fingers = (type: 'touchStart' | 'touchMove' | 'touchEnd', ...at: number[]) =>
      hand.send('Input.dispatchTouchEvent', { type, touchPoints: at.map((x, id) => ({ x, y: 260, id })) });
  for (let i = 0; i < 3; i++) {
    await fingers('touchStart', 40, 340);
    await fingers('touchMove', 100, 280);
    await fingers('touchMove', 150, 230);
    await fingers('touchEnd');
  }
  await page.waitForSelector('table[data-level="2"]', { timeout: PATIENCE });
  expect(await page.$('[data-stick]')).toBeNull();
  // Apart again, and it is near; a tap on the half of the stick points too.
  await fingers('touchStart', 150, 230);
  await fingers('touchMove', 100, 280);
  await fingers('touchMove', 40, 340);
  await fingers('touchEnd');
  await page.waitForSelector('table[data-level="0"], table[data-level="1"]', { timeout: PATIENCE });
  // Sent in one go: a machine that is busy with a picture would make a long press of it.
  await Promise.all([fingers('touchStart', 150), fingers('touchEnd')]);
  await page.waitForFunction(
    ([x, z]: number[]) => {
      const { x: nowX, z: nowZ } = document.querySelector<HTMLElement>('[data-proving]')?.dataset ?? {};
      return Math.hypot(Number(nowX) - x, Number(nowZ) - z) > 0.3;
    },
    { timeout: PATIENCE },
    stopped,
  );
  expect(errors).toEqual([]);
});

it('a package that isn’t there is told of, by the server and on the page', async () => {
  const answer = await fetch(`${address}/api/v1/deliveries/00000000-0000-4000-8000-000000000000/trial`);
  expect(answer.status).toBe(404);
  expect(((await answer.json()) as { detail: string }).detail).toContain('This delivery');
  await page.goto(`${address}/proving/00000000-0000-4000-8000-000000000000`);
  await shows(page, '.bench [role=alert]', /This run/);
  await page.goto(`${address}/proving`);
  await shows(page, '.bench', /A stand-in walks here/);
});
