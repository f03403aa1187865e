import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { unzipSync } from 'fflate';
import type { Browser, Page } from 'puppeteer-core';
import { afterAll, beforeAll, describe, expect, inject, it } from 'vitest';
import { type Pin, type Recipe, sampleFrames, writeBvh } from '@dimetra/core';
import { click, drawn, openBrowser, openPage, press, shows, stagePixels, textOf } from './browser.ts';
import { PATIENCE } from './patience.ts';

const address = inject('address');
const folder = mkdtempSync(join(tmpdir(), 'dimetra-figures-'));
let browser: Browser, page: Page, errors: string[], close: () => Promise<void>;
const people = new Map<string, string>();

beforeAll(async () => {
  ({ browser, close } = await openBrowser());
  ({ page, errors } = await openPage(browser));
  for (const row of (await (await fetch(`${address}/api/v1/characters`)).json()) as { id: string; name: string }[])
    people.set(row.name, row.id);
});
afterAll(async () => {
  await close?.();
  rmSync(folder, { recursive: true, force: true });
});

const upload = async (selector: string, path: string) => {
  const input = await page.waitForSelector(selector);
  await (input as unknown as { uploadFile(path: string): Promise<void> }).uploadFile(path);
};
const choose = (label: string, value: string) => page.select(`select[aria-label="${label}"]`, value);
/** Presses Run and waits for the newest run to end; gives its row. */
async function run(): Promise<{
  id: string;
  state: string;
  checks: { rule: string; ok: boolean; measured: number | string }[];
  steps: { id: string; measures: { name: string; result: number }[]; findings: { code: string }[] }[];
}> {
  const before = ((await (await fetch(`${address}/api/v1/runs`)).json()) as { id: string }[])[0]?.id;
  await page.waitForSelector('[data-saved="saved"]');
  await click(page, '[data-run]');
  for (let i = 0; i < 1000; i++) {
    const [row] = (await (await fetch(`${address}/api/v1/runs`)).json()) as { id: string; state: string }[];
    if (row && row.id !== before && ['done', 'failed'].includes(row.state))
      return (await (await fetch(`${address}/api/v1/runs/${row.id}`)).json()) as Awaited<ReturnType<typeof run>>;
    await new Promise((resolve) => setTimeout(resolve, 300));
  }
  throw new Error('the run did not end');
}

describe('figures', () => {
  it('shows what ships, draws it, and compares two joint by joint', async () => {
    await page.goto(`${address}/figures/h-anim-2`);
    await shows(page, 'nav[aria-label="Figures"]', /Tessel.*Corvane.*VRM 1\.0.*H-Anim level 4/);
    expect(await page.$$eval('svg[role=img] circle', (dots) => dots.length)).toBe(142);
    await choose('Compare with', 'tessel');
    await shows(page, 'main', /61 joints are in both/);
    expect(await page.$$eval('svg[role=img] circle', (dots) => dots.length)).toBe(2 * (71 + 111));
    // Nobody has chosen a joint yet; one that only the other figure has can be chosen too.
    const chosen = () => page.$$eval('table tr[aria-selected="true"]', (rows) => rows.map((row) => row.textContent));
    expect(await chosen()).toEqual([]);
    await page.$$eval('table tbody tr', (rows) => rows.find((row) => row.textContent === '–waist_twist')?.click());
    await page.waitForSelector('table tr[aria-selected="true"]');
    expect(await chosen()).toEqual(['–waist_twist']);
  });
  it('are changed in place, on a copy of what ships, with a way back before saving', async () => {
    await page.goto(`${address}/figures/h-anim-1`);
    await press(page, 'Copy to edit', 'main');
    await page.waitForFunction(() => location.pathname.endsWith('/figures/h-anim-1-copy'));
    await press(page, 'Edit', 'main');
    const name = await page.waitForSelector('input[aria-label="Name of l_knee"]');
    await name?.click({ count: 3 });
    await name?.type('knee_left');
    await page.keyboard.press('Tab');
    await page.waitForSelector('[data-edit="knee_left"]');
    await page.select('select[aria-label="Role of vl5"]', 'chest');
    await click(page, 'button[aria-label="Leave out sacroiliac"]');
    await shows(page, '[aria-label="Edit figure"]', /3 changes/);
    await press(page, 'Undo', '[aria-label="Edit figure"]');
    await page.waitForSelector('[data-edit="sacroiliac"]');
    await press(page, 'Save', '[aria-label="Edit figure"]');
    await page.waitForFunction(() => !document.querySelector('[aria-label="Edit figure"]'));
    const kept = (
      (await (await fetch(`${address}/api/v1/figures`)).json()) as {
        id: string;
        joints: { name: string; parent: string | null; role: string }[];
      }[]
    ).find((row) => row.id === 'h-anim-1-copy');
    expect(kept?.joints.find((joint) => joint.name === 'l_talocrural')?.parent).toBe('knee_left');
    expect(kept?.joints.find((joint) => joint.name === 'vl5')?.role).toBe('chest');
    expect(kept?.joints.length).toBe(18);
    await press(page, 'Remove', 'main');
    await page.waitForFunction(() => location.pathname.endsWith('/figures'));
  });
  it('have loops of their skin, bent by keys, drawn, named and let go of, which the archive takes along', async () => {
    await page.goto(`${address}/figures/tessel`);
    await press(page, 'Copy to edit', 'main');
    await page.waitForFunction(() => location.pathname.endsWith('/figures/tessel-copy'));
    await press(page, 'Edit', 'main');
    await page.evaluate(() => {
      [...document.querySelectorAll('label')].find((one) => one.textContent === 'Loops of its skin')?.click();
    });
    await page.waitForSelector('[data-loop-stage=ready]');
    const changes = (count: number) => shows(page, '[aria-label="Edit figure"]', new RegExp(`${count} changes`));
    await page.focus('[data-edit-loop="Lips"] input');
    // The close-up is there when it has been drawn again.
    await page.waitForFunction(() =>
      document.querySelector('[data-loop-stage]')?.getAttribute('aria-label')?.includes('at Lips'),
    );
    await page.focus('[data-loop-stage]');
    await page.keyboard.press(']');
    await page.keyboard.press('ArrowUp');
    await changes(1);
    // Three clicks in the middle of what is seen, and round again.
    await press(page, 'Draw one', '[aria-label="Edit figure"]');
    const box = await (await page.waitForSelector('[data-loop-stage]'))?.boundingBox();
    for (const [x, y] of [
      [0.45, 0.5],
      [0.55, 0.5],
      [0.5, 0.65],
    ])
      await page.mouse.click((box?.x ?? 0) + x * (box?.width ?? 0), (box?.y ?? 0) + y * (box?.height ?? 0));
    await press(page, 'Close the loop', '[aria-label="Edit figure"]');
    await page.waitForSelector('[data-edit-loop="Loop 1"]');
    await click(page, 'input[aria-label="Ear left holds in a wrap"]');
    await click(page, 'button[aria-label="Leave out Little nail left"]');
    const field = await page.waitForSelector('input[aria-label="Name of Loop 1"]');
    await field?.click({ count: 3 });
    await field?.type('Scar');
    await page.keyboard.press('Tab');
    await changes(5);
    await press(page, 'Save', '[aria-label="Edit figure"]');
    await page.waitForFunction(() => !document.querySelector('[aria-label="Edit figure"]'));
    type Said = { id: string; body?: { loops?: { name: string; holds: boolean; at: number[] }[] } };
    const figures = (await (await fetch(`${address}/api/v1/figures`)).json()) as Said[],
      loopsOf = (id: string) => figures.find((row) => row.id === id)?.body?.loops ?? [],
      [shipped, own] = [loopsOf('tessel'), loopsOf('tessel-copy')],
      of = (loops: typeof own, name: string) => loops.find((loop) => loop.name === name);
    expect(own.map(({ name }) => name)).toContain('Scar');
    expect(of(own, 'Ear left')?.holds).toBe(false);
    expect(of(own, 'Little nail left')).toBeUndefined();
    expect(of(own, 'Lips')?.at).not.toEqual(of(shipped, 'Lips')?.at);
    expect(of(own, 'Eyelids left')).toEqual(of(shipped, 'Eyelids left'));
    const files = unzipSync(
      new Uint8Array(await (await fetch(`${address}/api/v1/figures/tessel-copy/archive`)).arrayBuffer()),
    );
    expect(JSON.parse(new TextDecoder().decode(files['figure.json'])).body.loops).toEqual(own);
    await press(page, 'Remove', 'main');
    await page.waitForFunction(() => location.pathname.endsWith('/figures'));
  });
  it('learns one from a character, takes it out and in again, and removes it', async () => {
    await page.goto(`${address}/figures`);
    await page.waitForSelector('form input');
    await page.type('form input', 'Harbour figure');
    await press(page, 'Learn', 'form');
    await page.waitForFunction(() => location.pathname.endsWith('/figures/harbour-figure'), { timeout: PATIENCE });
    await shows(page, 'main', /Made here.*111 joints.*vertices in 3 parts/);
    // With its skin it is an archive, which is taken in as it was.
    const link = await page.$eval('a[download="harbour-figure.zip"]', (one) => (one as HTMLAnchorElement).href),
      archive = Buffer.from(await (await fetch(link)).arrayBuffer());
    expect((await fetch(`${address}/api/v1/figures/harbour-figure`, { method: 'DELETE' })).status).toBe(204);
    writeFileSync(join(folder, 'harbour-figure.zip'), archive);
    await page.goto(`${address}/figures`);
    await page.waitForSelector('form input');
    await upload('input[type=file]', join(folder, 'harbour-figure.zip'));
    await page.waitForFunction(() => location.pathname.endsWith('/figures/harbour-figure'), { timeout: PATIENCE });
    writeFileSync(join(folder, 'cut.zip'), archive.subarray(0, archive.length / 2));
    await upload('input[type=file]', join(folder, 'cut.zip'));
    await shows(page, 'main [role=alert]', /The archive is damaged/);
    const data = JSON.parse(
      decodeURIComponent(
        (await page.$eval('a[download="harbour-figure.json"]', (link) => (link as HTMLAnchorElement).href))
          .split(',')
          .slice(1)
          .join(','),
      ),
    );
    writeFileSync(join(folder, 'again.json'), JSON.stringify({ ...data, id: 'again', title: 'Again' }));
    await upload('input[type=file]', join(folder, 'again.json'));
    await page.waitForFunction(() => location.pathname.endsWith('/figures/again'));
    writeFileSync(join(folder, 'wrong.json'), JSON.stringify({ ...data, id: 'wrong', joints: [] }));
    await upload('input[type=file]', join(folder, 'wrong.json'));
    await shows(page, 'main [role=alert]', /joints/);
    for (const id of ['again', 'harbour-figure']) {
      await page.goto(`${address}/figures/${id}`);
      await press(page, 'Remove', 'main');
      await page.waitForFunction(
        (gone: string) =>
          ![...document.querySelectorAll('nav[aria-label="Figures"] button')].some((row) =>
            row.textContent?.includes(gone),
          ),
        {},
        id === 'again' ? 'Again' : 'Harbour figure',
      );
    }
  });
});

describe('one figure becomes another', () => {
  it("shows the loom against the figure's joints, and what the rest pose will turn", async () => {
    await page.goto(`${address}/c/${people.get('Harbour pilot')}/corvane-figure/skeleton`);
    await page.waitForSelector('[data-target="Thorax"]', { timeout: PATIENCE });
    await shows(page, '.bench', /111 joints become 79/);
    await page.keyboard.press('3');
    await shows(page, '.bench', /The target wants the pose of Corvane.*arm_l.*45\.0°/);
  });
  it('says whose polygons the skin gets, and leaves it on its own where it is told to', async () => {
    await page.keyboard.press('6');
    await shows(page, '.bench', /asks for the skin on the polygons of Corvane: 26,192 vertices in 3 parts/);
    await click(page, '[aria-label="The skin on another figure’s polygons in the recipe"]');
  });
  it("runs: joints, names and pose are Corvane's, and at home nothing moved", async () => {
    const done = await run();
    expect(done.state).toBe('done');
    const check = (rule: string) => done.checks.find((entry) => entry.rule === rule);
    expect(check('joints.figure')).toMatchObject({ ok: true, measured: 0 });
    expect(check('rest.pose')?.ok).toBe(true);
    expect(Number(check('parity.rest')?.measured)).toBeLessThan(0.1);
    await shows(page, '.line', /45° → 0°/);
    await drawn(page);
    expect((await stagePixels(page)).different).toBeGreaterThan(8);
  });
  it('puts the skin on those polygons, morphs and maps with it', async () => {
    await click(page, '[aria-label="The skin on another figure’s polygons in the recipe"]');
    const field = (label: string, value: string) =>
      page.evaluate(
        (wanted, to) => {
          const select = [...document.querySelectorAll('.bench label')]
            .find((one) => one.textContent === wanted)
            ?.parentElement?.querySelector('select') as HTMLSelectElement;
          Object.getOwnPropertyDescriptor(HTMLSelectElement.prototype, 'value')?.set?.call(select, to);
          select.dispatchEvent(new Event('change', { bubbles: true }));
        },
        label,
        value,
      );
    await field('How closely', 'quick');
    await field('Size of the maps', '512');
    await field('Eyes, teeth, gums and tongue', 'figure');
    const done = await run();
    const step = (id: string) => done.steps.find((entry) => entry.id === id);
    expect(step('fit.wrap')?.findings.filter(({ code }) => code === 'fit.laid')).toHaveLength(3);
    expect(Number(step('fit.morphs')?.measures[0].result)).toBeGreaterThan(50);
    await shows(page, '.line', /Fit.*mm off/);
    await shows(page, '.bench', /“Head” of Corvane takes the place of “Head”/);
    // Each step has its card once.
    for (const title of ['The skin on another figure’s polygons', 'Maps onto the new texture places'])
      expect(await page.$$(`.bench section[aria-label="${title}"]`)).toHaveLength(1);
  });
  const savedOf = async (step: string): Promise<Record<string, unknown>> => {
    const asked = await fetch(`${address}/api/v1/conversions`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: JSON.stringify({ characterId: people.get('Harbour pilot'), targetId: 'corvane-figure' }),
      }),
      { recipe } = (await asked.json()) as { recipe: Recipe };
    return recipe.steps.find(({ id }) => id === step)?.settings ?? {};
  };
  it('lifts the bite by its handle on the stage; it is saved, and undone', async () => {
    await shows(page, '.bench', /On the result: drag the dot before an eye/);
    await press(page, 'Mouth', '.stage');
    await drawn(page);
    const canvas = await page.$('.stage canvas'),
      box = (await canvas?.boundingBox()) as { x: number; y: number; width: number; height: number },
      x = box.x + box.width * 0.75,
      grabs = () => page.$eval('.stage canvas', (one) => (one as HTMLElement).style.cursor === 'grab');
    // The dot before the teeth is somewhere in the middle of the face: the pointer says where.
    let y = box.y + box.height * 0.25;
    for (await page.mouse.move(x, y); !(await grabs()) && y < box.y + box.height; y += 6) await page.mouse.move(x, y);
    expect(await grabs()).toBe(true);
    const picture = () => page.$eval('.stage canvas', (one) => (one as HTMLCanvasElement).toDataURL().slice(-9000)),
      before = await picture();
    await page.mouse.down();
    await page.mouse.move(x, y - 12, { steps: 3 });
    await page.mouse.move(x, y - 24, { steps: 3 });
    // Where it would stand is seen before it is let go.
    await drawn(page);
    expect(await picture()).not.toBe(before);
    await page.mouse.up();
    /** What is kept of the step, once that is so. */
    const until = async (isSo: (settings: Record<string, unknown>) => boolean) => {
        for (let i = 0; i < 100 && !isSo(await savedOf('fit.seat')); i++)
          await new Promise((resolve) => setTimeout(resolve, 200));
        return savedOf('fit.seat');
      },
      lifted = Number((await until((settings) => settings.biteUp !== undefined)).biteUp);
    expect(lifted).toBeGreaterThan(0.2);
    expect(lifted).toBeLessThan(20);
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await page.waitForFunction(() =>
      ['saving', 'unsaved'].every((state) => !document.querySelector(`[data-saved="${state}"]`)),
    );
    for (let i = 0; (await savedOf('fit.seat')).biteUp !== undefined && i < 50; i++)
      await new Promise((resolve) => setTimeout(resolve, 200));
    expect(await savedOf('fit.seat')).not.toHaveProperty('biteUp');
  });
  it('takes pins by pointer and by keys, on both figures, and gives them up again', async () => {
    const pinned = async () => ((await savedOf('fit.pins')).pins ?? []) as Pin[];
    await press(page, 'Figure', '.stage');
    await press(page, 'Pin a place', '.bench');
    await shows(page, '.bench', /Point at a place of the new skin, on the result/);
    await drawn(page);
    const canvas = (await (await page.$('.stage canvas'))?.boundingBox()) as {
        x: number;
        y: number;
        width: number;
        height: number;
      },
      middle = (share: number) => [canvas.x + canvas.width * share, canvas.y + canvas.height / 2] as const;
    await page.mouse.click(...middle(0.75));
    await shows(page, '.bench', /Now point at where it belongs, on the source/);
    await page.mouse.click(...middle(0.25));
    await page.waitForSelector('[aria-label="Take Pin 1 away"]');
    await page.waitForSelector('[data-saved="saved"]');
    const [{ of, to }] = await pinned();
    // The same place of the face, by other texture places.
    expect([of[0].part, to[0].part]).toEqual(['Head', 'Head']);
    expect(of[0].uv).toHaveLength(2);
    expect(of[0].uv).not.toEqual(to[0].uv);
    await click(page, '[aria-label="Take Pin 1 away"]');
    await press(page, 'Pin a curve', '.bench');
    await page.focus('.stage canvas');
    for (let i = 0; i < 4; i++) {
      await page.keyboard.press('Enter');
      await page.keyboard.press('ArrowLeft');
      await page.keyboard.press('ArrowLeft');
    }
    await shows(page, '.bench', /2 and 2 so far/);
    await press(page, 'Pin the curve', '.bench');
    await page.waitForSelector('[aria-label="Take Curve 1 away"]');
    await page.keyboard.down('Control');
    await page.keyboard.press('z');
    await page.keyboard.up('Control');
    await page.waitForSelector('[aria-label="Take Curve 1 away"]', { hidden: true });
    await page.waitForSelector('[data-saved="saved"]');
    expect(await pinned()).toEqual([]);
  });
});

describe('the stage moves', () => {
  it('plays a sample motion, stops, and scrubs', async () => {
    await page.goto(`${address}/c/${people.get('Deckhand')}/browser-viewer/motion`);
    await drawn(page);
    await click(page, 'button[aria-label="Play Walk"]');
    await page.waitForSelector('.play');
    await page.waitForFunction(() => Number((document.querySelector('.play input') as HTMLInputElement).value) > 0.05, {
      timeout: PATIENCE,
    });
    await click(page, '.play button[aria-label="Stop"]');
    await drawn(page);
    const picture = () => page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().length);
    const at = async (value: number) => {
      await page.$eval(
        '.play input',
        (field, to) => {
          Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value')?.set?.call(field, String(to));
          field.dispatchEvent(new Event('input', { bubbles: true }));
        },
        value,
      );
      await drawn(page);
      return picture();
    };
    expect(await at(0.2)).not.toBe(await at(0.75));
  });
  it('plays a motion from a file, and says when a file holds none', async () => {
    const { document, frames, frameSeconds } = sampleFrames('Wave in');
    writeFileSync(join(folder, 'wave.bvh'), writeBvh(document, { frames, frameSeconds }));
    await upload('.bench input[type=file]', join(folder, 'wave.bvh'));
    await shows(page, '.bench', /wave\.bvh: \d+ joints of another skeleton/);
    writeFileSync(join(folder, 'note.bvh'), 'no motion at all');
    await upload('.bench input[type=file]', join(folder, 'note.bvh'));
    await shows(page, '.bench [role=alert]', /./);
    await click(page, '.play button[aria-label="Back to rest"]');
  });
  it('bends a joint by dragging, and goes back to rest', async () => {
    await press(page, 'Joints', '.stage-bar');
    await press(page, 'Figure', '.stage-bar');
    await drawn(page);
    const box = await (await page.$('.stage canvas'))?.boundingBox();
    if (!box) throw new Error('no stage');
    // The wrist hangs out on the right of the picture: look for a place where the hand takes hold.
    let grip: [number, number] | null = null;
    for (let x = 0.56; x < 0.75 && !grip; x += 0.008)
      for (let y = 0.3; y < 0.56 && !grip; y += 0.02) {
        await page.mouse.move(box.x + box.width * x, box.y + box.height * y);
        if (await page.$eval('.stage canvas', (canvas) => (canvas as HTMLElement).style.cursor === 'grab'))
          grip = [box.x + box.width * x, box.y + box.height * y];
      }
    if (!grip) throw new Error('no joint was found');
    await page.mouse.move(...grip);
    await page.mouse.down();
    await page.mouse.move(grip[0] + 10, grip[1] - 60, { steps: 4 });
    await page.mouse.up();
    await shows(page, '.stage-bar', /Posed by hand/);
    await press(page, 'Posed by hand', '.stage-bar');
    await press(page, 'At rest');
    await shows(page, '.stage-bar', /Pose/);
  });
  it('closes the list of poses on a choice, and steps to the next and back', async () => {
    const stage = '.stage-bar',
      picture = () => page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().slice(-4000)),
      rest = await picture();
    await press(page, 'Pose', stage);
    await press(page, 'arms raised', '.mantine-Popover-dropdown');
    await shows(page, stage, /Pose: arms raised/);
    await page.waitForFunction(() => !document.querySelector('.mantine-Popover-dropdown'));
    await drawn(page);
    const raised = await picture();
    expect(raised).not.toBe(rest);
    await click(page, `${stage} button[aria-label="The next pose"]`);
    await drawn(page);
    expect(await page.$eval(stage, (bar) => bar.textContent)).not.toMatch(/arms raised/);
    await click(page, `${stage} button[aria-label="The pose before"]`);
    await shows(page, stage, /Pose: arms raised/);
    await click(page, `${stage} button[aria-label="Back to rest"]`);
    await page.waitForFunction(
      () =>
        ![...document.querySelectorAll('.stage-bar button')].some((button) => /^Pose: /.test(button.textContent ?? '')),
    );
  });
  it('shows single channels of the maps, influences, how densely maps lie, and back faces', async () => {
    const seen = new Set<string>();
    for (const look of ['Base colour', 'Roughness', 'Influences', 'Texel density', 'Back faces']) {
      await page.evaluate(
        (names) => {
          [...document.querySelectorAll<HTMLElement>('.stage-bar button')]
            .find((button) => names.includes(button.textContent?.trim() ?? ''))
            ?.click();
        },
        ['More', 'Base colour', 'Roughness', 'Influences', 'Texel density', 'Back faces'],
      );
      await press(page, look, '.mantine-Popover-dropdown');
      await drawn(page);
      if (look === 'Texel density') await shows(page, '.stage', /half of the points over \d+/);
      seen.add(await page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().slice(-3000)));
    }
    expect(seen.size).toBe(5);
  });
});

describe('opening one character after the other', () => {
  it('leaves no maps of those before in the graphics memory', async () => {
    let shown = '';
    const runs = (await (await fetch(`${address}/api/v1/runs`)).json()) as {
        id: string;
        state: string;
        characterId: string;
        targetId: string;
      }[],
      /** Result of each character for this target: of its newest run, the list being newest first. */
      results = new Map(
        runs
          .filter((run) => run.state === 'done' && run.targetId === 'browser-viewer')
          .reverse()
          .map((run) => [run.characterId, `/api/v1/runs/${run.id}/manifest`]),
      );
    /** Goes on within the page, as a link does. */
    const open = async (name: string) => {
      const stands = () => page.$eval('.stage canvas', ({ dataset }: HTMLElement) => dataset.stands),
        before = shown === name ? null : await stands();
      await page.evaluate(
        (to: string) => {
          history.pushState({}, '', to);
          dispatchEvent(new PopStateEvent('popstate', { state: {} }));
        },
        `/c/${people.get(name)}/browser-viewer/intake`,
      );
      await shows(page, 'header', new RegExp(name));
      // The figure before stays on the stage until the next has come.
      await page.waitForFunction(
        (then: string | null | undefined) =>
          document.querySelector<HTMLElement>('.stage canvas')?.dataset.stands !== then,
        { timeout: PATIENCE },
        before,
      );
      shown = name;
      // Who has been run before stands there with the result, which may come later.
      await page.waitForFunction(
        (result: string) => document.querySelector<HTMLElement>('.stage canvas')?.dataset.result === result,
        { timeout: PATIENCE },
        results.get(people.get(name) ?? '') ?? '',
      );
      await page.waitForFunction(() => {
        const { drawn, stands, result } = document.querySelector<HTMLElement>('.stage canvas')?.dataset ?? {};
        return drawn === `${stands} ${result}`;
      });
      await page.waitForSelector('.stage canvas[data-dressed="true"]');
      await drawn(page);
      return page.$eval('.stage canvas', ({ dataset }: HTMLElement) => ({
        textures: Number(dataset.textures),
        maps: Number(dataset.maps),
      }));
    };
    await page.goto(`${address}/c/${people.get('Harbour pilot')}/browser-viewer/intake`);
    const names = ['Harbour pilot', 'Rescue swimmer', 'Crane operator'],
      rounds: Awaited<ReturnType<typeof open>>[][] = [[], []];
    shown = names[0];
    await open(names[0]);
    for (const round of rounds) for (const name of names) round.push(await open(name));
    for (const { maps } of rounds[0]) expect(maps).toBeGreaterThan(5);
    // The second time round as much as the first. On a busy machine a map may come while the first are counted; then once
    // more: what leaks grows every time.
    if (JSON.stringify(rounds[1]) !== JSON.stringify(rounds[0])) {
      rounds.push([]);
      for (const name of names) rounds[2].push(await open(name));
    }
    const [before, after] = rounds.slice(-2);
    expect(after).toEqual(before);
    expect(await page.evaluate(() => document.querySelectorAll('canvas').length)).toBeLessThan(8);
  });
});

describe('a mesh in pieces and a skeleton apart', () => {
  it('are told at intake, joined and bound by the run, and bend', async () => {
    await page.goto(`${address}/c/${people.get('Port signaller')}/browser-viewer/intake`);
    await drawn(page);
    await shows(page, '.bench', /pieces become \d+ parts/);
    await shows(page, '.bench', /two halves of one figure/);
    const done = await run();
    expect(done.state).toBe('done');
    const measure = (step: string, name: string) =>
      done.steps.find((entry) => entry.id === step)?.measures.find((entry) => entry.name === name)?.result;
    expect(measure('intake.assemble', 'triangles in another material')).toBeGreaterThan(50);
    expect(measure('weights.bind', 'scale of the skeleton')).toBe(100);
    expect(
      done.checks.filter(
        (entry) => !entry.ok && ['joints.present', 'joints.roles', 'weights.sum'].includes(entry.rule),
      ),
    ).toEqual([]);
    expect(done.checks.map((entry) => entry.rule)).toContain('parity.pose');
    // What was bound here bends on the stage too, though its source can't.
    const picture = () =>
      page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().slice(-4000));
    await drawn(page);
    const rest = await picture();
    await press(page, 'Pose', '.stage-bar');
    await press(page, 'arms raised', '.mantine-Popover-dropdown');
    await drawn(page);
    expect(await picture()).not.toBe(rest);
    await click(page, '.stage-bar button[aria-label="Back to rest"]');
  });
});

describe('a target without a skeleton', () => {
  it('is chosen in the editor and gets a static figure, measured against the source as it is posed', async () => {
    await page.goto(`${address}/targets/quayside-crowd`);
    await press(page, 'Copy to a new one', 'main');
    await shows(page, 'main form', /Made here · quayside-crowd-copy/);
    const pick = async (label: string, value: string) => {
      const id = await page.evaluate(
        (wanted) => [...document.querySelectorAll('label')].find((entry) => entry.textContent === wanted)?.htmlFor,
        label,
      );
      await page.select(`[id="${id}"]`, value);
    };
    await pick('Joints', 'none');
    await pick('Rest pose', 'arms-out');
    await press(page, 'Save', 'main');
    for (let i = 0; ; i++) {
      const row = (
        (await (await fetch(`${address}/api/v1/targets`)).json()) as {
          id: string;
          joints: { keep: string };
          restPose?: string;
        }[]
      ).find((entry) => entry.id === 'quayside-crowd-copy');
      if (row?.joints.keep === 'none' && row.restPose === 'arms-out') break;
      expect(i).toBeLessThan(100);
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
    await page.goto(`${address}/c/${people.get('Crane operator')}/quayside-crowd-copy/skeleton`);
    await drawn(page);
    await shows(page, '.bench', /asks for a static figure\. The 111 joints hold the mesh/);
    const done = await run();
    expect(done.state).toBe('done');
    expect(done.checks.find((entry) => entry.rule === 'joints.none')).toMatchObject({ ok: true, measured: 0 });
    expect(done.checks.some((entry) => entry.rule.startsWith('parity.pose'))).toBe(false);
    expect(Number(done.checks.find((entry) => entry.rule === 'parity.rest')?.measured)).toBeLessThan(10);
    await shows(page, '.bench', /joints were taken into the mesh/);
  });
});

describe('a skin on its way to another figure’s polygons', () => {
  it('is watched on the stage before anything is run, ended, and taken off again', async () => {
    await page.goto(`${address}/c/${people.get('Deckhand')}/corvane-figure/fit`);
    await drawn(page);
    const picture = () =>
        page.$eval('.stage canvas', (canvas) => (canvas as HTMLCanvasElement).toDataURL().slice(-6000)),
      state = (wanted: string) => page.waitForSelector(`[data-watch=${wanted}]`, { timeout: PATIENCE });
    expect(await textOf(page, '[data-watch=off]')).toContain('Nothing is changed by it');
    const quickly = await page.evaluate(
      () => [...document.querySelectorAll('label')].find((entry) => entry.textContent === 'How closely')?.htmlFor,
    );
    await page.select(`[id="${quickly}"]`, 'quick');
    await press(page, 'Watch the wrap', '.bench');
    await state('running');
    await press(page, 'Stop watching', '.bench');
    await state('off');
    await drawn(page);
    const alone = await picture();
    await page.evaluate(() => {
      const seen = new Set<string>();
      (window as unknown as { seenOf: Set<string> }).seenOf = seen;
      new MutationObserver(() => {
        const done = document.querySelector('[data-watch=running]')?.getAttribute('data-done');
        if (done) seen.add(done);
      }).observe(document.querySelector('.bench') as Element, { attributes: true, subtree: true });
    });
    // Quickly it is done before a page that draws by software has shown more than one or two of its rounds.
    await page.select(`[id="${quickly}"]`, 'full');
    await press(page, 'Watch the wrap', '.bench');
    await state('done');
    await shows(page, '[data-watch=done]', /would lie \d\.\d\d mm off/);
    // It came step by step, and stands over the source.
    expect(await page.evaluate(() => (window as unknown as { seenOf: Set<string> }).seenOf.size)).toBeGreaterThan(3);
    await drawn(page);
    expect(await picture()).not.toBe(alone);
    await press(page, 'Take it off the stage', '.bench');
    await state('off');
    await drawn(page);
    expect(await picture()).toBe(alone);
  });
});

describe('what is not there', () => {
  it('a target that is gone is named, with the way to those that are here', async () => {
    await page.goto(`${address}/c/${people.get('Deckhand')}/no-such-target/intake`);
    await shows(page, '.page', /names the delivery target “no-such-target”/);
    expect(await page.$$eval('.page a', (links) => links.length)).toBeGreaterThan(4);
  });
  it("a figure that can't be loaded is asked for again", async () => {
    // A window that has nothing on disk yet: what was fetched before is not asked for again.
    const fresh = await browser.createBrowserContext(),
      { page: other } = await openPage(fresh);
    await other.setRequestInterception(true);
    let failing = true;
    other.on('request', (request) => {
      if (failing && request.url().endsWith('/pieces')) void request.respond({ status: 503, body: '' });
      else void request.continue();
    });
    await other.goto(`${address}/c/${people.get('Crane operator')}/browser-viewer/intake`);
    await shows(other, '.stage [role=alert]', /can't be loaded just now/);
    failing = false;
    await press(other, 'Try again', '.stage');
    await drawn(other);
    expect((await stagePixels(other)).different).toBeGreaterThan(8);
    // And after a reload it is here without asking.
    await other.waitForFunction(async () => (await (await caches.open('dimetra-pieces-1')).keys()).length > 10);
    failing = true;
    await other.reload();
    await drawn(other);
    expect((await stagePixels(other)).different).toBeGreaterThan(8);
    await fresh.close();
  });
  it("a bench takes no decision before its recipe is here, and says why one doesn't come", async () => {
    const { page: other } = await openPage(browser);
    await other.setRequestInterception(true);
    let hold: (() => void) | null = null,
      refuse = false;
    other.on('request', (request) => {
      if (request.method() !== 'POST' || !request.url().endsWith('/conversions')) return void request.continue();
      if (refuse)
        return void request.respond({
          status: 503,
          contentType: 'application/json',
          body: '{"title":"The database is resting."}',
        });
      hold = () => void request.continue();
    });
    await other.goto(`${address}/c/${people.get('Crane operator')}/browser-viewer/reduce`);
    await drawn(other);
    expect(await textOf(other, '.bench')).toBe('Opening …');
    expect(await other.$('.bench input, .bench button')).toBeNull();
    (hold as (() => void) | null)?.();
    await shows(other, '.bench', /Triangles for the whole/);
    refuse = true;
    await other.goto(`${address}/c/${people.get('Crane operator')}/browser-viewer/reduce`);
    await shows(other, '.bench [role=alert]', /The recipe can't be opened: The database is resting/);
    await other.close();
  });
  it('left no error in the console', () => {
    expect(errors).toEqual([]);
  });
});
