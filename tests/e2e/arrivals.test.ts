import { existsSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Browser, ElementHandle, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { writeArchive, writeGlb, writeUsdz } from '@dimetra/core';
import { encodePixels, sharpCodec } from '@dimetra/platform';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { click, drawn, openBrowser, openPage, press, shows, stagePixels, textOf } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
const folder = mkdtempSync(join(tmpdir(), 'dimetra-arrivals-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;
beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

const drop = async (...names: string[]) => {
  const input = (await page.waitForSelector('input[data-files]')) as ElementHandle<HTMLInputElement>;
  await input.uploadFile(...names.map((name) => join(folder, name)));
};
const idOf = async (name: string): Promise<string> =>
  ((await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[]).find(
    (row) => row.name === name,
  )?.id as string;

describe('what arrives', () => {
  it('as packed USD stands on the stage with its joints and morphs', async () => {
    writeFileSync(join(folder, 'winch-hand.usdz'), writeUsdz(stickFigure({ rings: 20, sides: 14 }), 'winch-hand'));
    await page.goto(address);
    await drop('winch-hand.usdz');
    await shows(page, '.drop', /Winch hand is in/);
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/intake`);
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(4);
    expect(await textOf(page, '.ledger')).toMatch(/55/);
  });
  it('as an archive of two is two characters, named in one message', async () => {
    const glb = await writeGlb(stickFigure({ rings: 2, sides: 3 }));
    writeFileSync(
      join(folder, 'watch.zip'),
      writeArchive([
        { path: 'first-mate/scene.glb', bytes: glb },
        { path: 'second-mate/scene.glb', bytes: glb },
      ]),
    );
    await page.goto(address);
    await drop('watch.zip');
    await shows(page, '.drop', /2 characters are in: First mate, Second mate/);
    await page.waitForSelector('[data-character="Second mate"]');
  });
});

describe('maps', () => {
  it('fill a gap from a file, are told, and are taken back', async () => {
    writeFileSync(
      join(folder, 'yellow.png'),
      await encodePixels(
        {
          width: 8,
          height: 8,
          channels: 3,
          data: Uint8Array.from(Array.from({ length: 64 }, () => [250, 210, 30]).flat()),
        },
        'image/png',
      ),
    );
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/textures`);
    const gap = '.maps .cell.gap[data-slot="Skin baseColor"]';
    await page.waitForSelector(gap);
    const [chooser] = await Promise.all([page.waitForFileChooser(), click(page, gap)]);
    await chooser.accept([join(folder, 'yellow.png')]);
    await shows(page, '[data-brought]', /“yellow.png” is now the colour map of “Skin”/);
    await page.waitForSelector('.maps .cell[data-slot="Skin baseColor"] img');
    await press(page, 'Take back');
    await page.waitForSelector(gap);
  });
});

describe('pictures and views', () => {
  it('drops an image on a gap, and the stage wears it', async () => {
    const bytes = [
      ...(await encodePixels(
        {
          width: 8,
          height: 8,
          channels: 3,
          data: Uint8Array.from(Array.from({ length: 64 }, () => [20, 90, 240]).flat()),
        },
        'image/png',
      )),
    ];
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/textures`);
    const gap = '.maps .cell.gap[data-slot="Skin baseColor"]';
    await page.waitForSelector(gap);
    await page.$eval(
      gap,
      (cell, content) => {
        const carried = new DataTransfer();
        carried.items.add(new File([Uint8Array.from(content)], 'blue.png', { type: 'image/png' }));
        for (const type of ['dragenter', 'dragover', 'drop'])
          cell.dispatchEvent(new DragEvent(type, { dataTransfer: carried, bubbles: true, cancelable: true }));
      },
      bytes,
    );
    await shows(page, '[data-brought]', /“blue.png” is now the colour map of “Skin”/);
    await page.waitForSelector('.maps .cell[data-slot="Skin baseColor"] img');
  });
  it('keeps a view over a reload, comes back to it, and forgets it', async () => {
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/intake`);
    await drawn(page);
    await press(page, 'Hands', '.stage');
    await drawn(page);
    await press(page, 'Views', '.stage');
    await press(page, 'Keep this view');
    await page.reload();
    await drawn(page);
    const picture = () => page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL());
    const figure = await picture();
    await press(page, 'Views', '.stage');
    await press(page, 'View 1');
    await drawn(page);
    expect(await picture()).not.toBe(figure);
    await click(page, 'button[aria-label="Forget View 1"]');
    await page.waitForFunction(() => !document.querySelector('button[aria-label="Forget View 1"]'));
    // The keyboard is still in the menu, though what it was on is gone.
    await page.keyboard.press('Escape');
    await page.waitForFunction(() => !document.querySelector('[data-sheet]'), { timeout: PATIENCE });
  });
  it('makes a contact sheet of eight pictures, none of them empty', async () => {
    const session = await page.createCDPSession();
    await session.send('Browser.setDownloadBehavior', { behavior: 'allow', downloadPath: folder });
    // A page of its own: whether the menu of the test before is still open is nothing to this one.
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/intake`);
    await drawn(page);
    await press(page, 'Views', '.stage');
    await click(page, '[data-sheet]');
    const file = join(folder, 'winch-hand-contact-sheet.png');
    for (let i = 0; i < 200 && !existsSync(file); i++) await new Promise((resolve) => setTimeout(resolve, 200));
    const { width, height, data } = await sharpCodec.decode(new Uint8Array(readFileSync(file)));
    expect(width / height).toBeGreaterThan(1.5);
    // Every cell has the figure's bright surface somewhere, before a darker ground.
    for (let cell = 0; cell < 8; cell++) {
      const x0 = Math.floor((width * (cell % 4)) / 4),
        y0 = Math.floor(height * (0.1 + 0.45 * Math.floor(cell / 4)));
      const shades = new Set<number>();
      for (let y = y0 + 8; y < y0 + height * 0.4; y += 3)
        for (let x = x0 + 8; x < x0 + width / 4 - 8; x += 3) shades.add(data[(Math.floor(y) * width + x) * 4] >> 3);
      expect(shades.size, `cell ${cell}`).toBeGreaterThan(6);
    }
  });
});

describe('faces in a wrong material', () => {
  const total = () =>
    page.$$eval('[data-misplaced] tbody tr', (rows) =>
      rows.reduce((sum, row) => sum + Number((row.lastElementChild?.textContent ?? '').replace(/\D/g, '')), 0),
    );
  it('are found, marked on the stage, kept as they came by hand, and put back', async () => {
    await page.goto(`${address}/c/${await idOf('Port signaller')}/browser-viewer/intake`);
    await drawn(page);
    await press(page, 'Show on the stage', '[aria-label="Faces in a wrong material"]');
    await page.waitForSelector('[data-misplaced] tbody tr', { timeout: PATIENCE });
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(6);
    const found = await total();
    expect(found).toBeGreaterThan(0);
    await click(page, '[data-misplaced] tbody tr');
    await shows(page, '[data-region]', /has \d+ triangles and wears/);
    const size = Number(/has ([\d, ]+) triangles/.exec(await textOf(page, '[data-region]'))?.[1].replace(/\D/g, ''));
    await page.select('[data-region] select', '');
    await shows(page, '[data-by-hand]', /stays as it is/);
    await page.waitForFunction(
      (before: number) => {
        const rows = [...document.querySelectorAll('[data-misplaced] tbody tr')];
        return (
          rows.reduce((sum, row) => sum + Number((row.lastElementChild?.textContent ?? '').replace(/\D/g, '')), 0) !==
          before
        );
      },
      { timeout: PATIENCE },
      found,
    );
    expect(await total()).toBe(found - size);
    await press(page, 'Put back', '[data-by-hand]');
    await page.waitForFunction(
      (before: number) => {
        const rows = [...document.querySelectorAll('[data-misplaced] tbody tr')];
        return (
          rows.reduce((sum, row) => sum + Number((row.lastElementChild?.textContent ?? '').replace(/\D/g, '')), 0) ===
          before
        );
      },
      { timeout: PATIENCE },
      found,
    );
  });
  it('are chosen by a click on the stage and given to another material', async () => {
    // Another test may have run this character: then the stage shows a pair.
    if (await page.$('.stage .views')) {
      await press(page, 'Source', '.stage .views');
      await drawn(page);
    }
    const box = (await (await page.$('.stage canvas'))?.boundingBox()) as {
      x: number;
      y: number;
      width: number;
      height: number;
    };
    await page.mouse.click(box.x + box.width * 0.5, box.y + box.height * 0.42);
    await page.waitForFunction(
      () => /has .* triangles and wears/.test(document.querySelector('[data-region]')?.textContent ?? ''),
      { timeout: PATIENCE },
    );
    const to = await page.$$eval(
      '[data-region] select option',
      (options) =>
        (options as HTMLOptionElement[])
          .map((option) => option.value)
          .find((value) => value !== '' && value !== 'found') as string,
    );
    await page.select('[data-region] select', to);
    await shows(page, '[data-by-hand]', new RegExp(to.replace(/[.*+?^${}()|[\]\\]/g, '\\$&')));
    await page.keyboard.press('Tab');
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
  });
});

describe('what stands about and what follows no joint', () => {
  /** A figure with an oilskin bound to nothing, on a floor. */
  const rigger = async (): Promise<Uint8Array> => {
    const document = stickFigure({ rings: 8 }),
      [scene] = document.getRoot().listScenes(),
      body = document.getRoot().listMeshes()[0].listPrimitives()[0];
    const coat = body.clone();
    for (const target of coat.listTargets()) coat.removeTarget(target);
    for (const semantic of ['JOINTS_0', 'WEIGHTS_0']) coat.setAttribute(semantic, null);
    const position = body.getAttribute('POSITION')?.getArray() as Float32Array,
      normal = body.getAttribute('NORMAL')?.getArray() as Float32Array;
    coat
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(position.map((x, i) => x + 0.006 * normal[i]) as Float32Array<ArrayBuffer>),
      )
      .setMaterial(document.createMaterial('Oilcloth'));
    scene.addChild(document.createNode('Oilskin').setMesh(document.createMesh('Oilskin').addPrimitive(coat)));
    const floor = document
      .createPrimitive()
      .setAttribute(
        'POSITION',
        document
          .createAccessor()
          .setType('VEC3')
          .setArray(Float32Array.from([-3, 0, -3, 3, 0, -3, -3, 0, 3, 3, 0, 3]) as Float32Array<ArrayBuffer>),
      )
      .setIndices(
        document
          .createAccessor()
          .setType('SCALAR')
          .setArray(Uint16Array.from([0, 2, 1, 1, 2, 3])),
      );
    scene.addChild(document.createNode('Quay').setMesh(document.createMesh('Quay').addPrimitive(floor)));
    return writeGlb(document);
  };
  it('is listed and left out, or given weights by the run; kept where the user keeps it', async () => {
    writeFileSync(join(folder, 'rigger.glb'), await rigger());
    await page.goto(address);
    await drop('rigger.glb');
    await shows(page, '.drop', /Rigger is in/);
    const id = await idOf('Rigger');
    await page.goto(`${address}/c/${id}/browser-viewer/intake`);
    await shows(page, '[data-left-out]', /Quay.*a flat sheet as long as the figure/);
    await page.waitForSelector('[data-saved="saved"]');
    await click(page, '[data-run]');
    type Run = {
      state: string;
      steps: { id: string; findings: { code: string; where?: string }[] }[];
      result: { parts: { name: string }[] } | null;
    };
    let run: Run | null = null;
    for (let i = 0; i < 300 && run?.state !== 'done'; i++) {
      const [row] = (await (await fetch(`${address}/api/v1/runs`)).json()) as {
        id: string;
        characterId: string;
        state: string;
      }[];
      run = row.characterId === id ? ((await (await fetch(`${address}/api/v1/runs/${row.id}`)).json()) as Run) : null;
      if (run?.state === 'failed') throw new Error('the run failed');
      await new Promise((resolve) => setTimeout(resolve, 300));
    }
    expect(run?.result?.parts.map((part) => part.name)).toEqual(['Body', 'Oilskin']);
    expect(run?.steps.find((step) => step.id === 'weights.transfer')?.findings).toMatchObject([
      { code: 'weights.transferred', where: 'Oilskin' },
    ]);
    await page.goto(`${address}/c/${id}/browser-viewer/weights`);
    await shows(page, '.bench', /“Oilskin” moves with the body/);
    await page.goto(`${address}/c/${id}/browser-viewer/intake`);
    await press(page, 'Keep', '[data-left-out]');
    await shows(page, '[data-left-out]', /Leave out/);
    await page.waitForSelector('[data-saved="saved"]');
  });
});

describe("the loom's list of what could go", () => {
  it('lets a sort of joints go and keeps it again', async () => {
    await page.goto(`${address}/c/${await idOf('Winch hand')}/browser-viewer/skeleton`);
    await page.waitForSelector('details.folded summary');
    await click(page, 'details.folded summary');
    await shows(page, '.bench', /55 joints become 55/);
    await press(page, 'Let go', '[data-group="finger-tips"]');
    await shows(page, '.bench', /55 joints become 45/);
    await shows(page, '[data-group="finger-tips"]', /10 of 10 go/);
    await press(page, 'Keep', '[data-group="finger-tips"]');
    await shows(page, '.bench', /55 joints become 55/);
  });
  it('and no error stood in the console on the way', () => {
    expect(errors).toEqual([]);
  });
});
