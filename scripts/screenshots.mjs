// Takes docs/screenshots anew from a running application with the demo: node scripts/screenshots.mjs [ADDRESS] [NAME …]
import { mkdirSync } from 'node:fs';
import { join } from 'node:path';
import { root } from './build.mjs';
import { openChromium } from './chromium.mjs';

const [address = 'http://127.0.0.1:4810', ...only] = process.argv.slice(2);
const out = join(root, 'docs/screenshots');
mkdirSync(out, { recursive: true });
const characters = await (await fetch(`${address}/api/v1/characters`)).json();
const [character] = characters;
const runs = await (await fetch(`${address}/api/v1/runs`)).json(),
  run = runs.find((row) => row.targetId === 'headset-deck') ?? runs[0];
const desk = (station) => `/c/${character.id}/headset-deck/${station}`;
const VIEWS = [
  ['cast', '/', []],
  ['intake', desk('intake'), []],
  ['loom', desk('skeleton'), ['Joints']],
  ['morphs', desk('morphs'), ['Head']],
  ['materials', desk('materials'), ['Head']],
  ['textures', desk('textures'), ['Checker']],
  ['reduce', desk('reduce'), ['Wire']],
  ['check', desk('check'), []],
  ['proving', `/proving/${run.id}`, ['wait:[data-proving=ready]']],
  ['figures', '/figures/tessel', ['label:Loops of its skin', 'wait:[data-loop-stage=ready]', 'row:Eyelids left']],
  ['rest-pose', `/c/${character.id}/corvane-figure/rest-pose`, []],
  ['motion', desk('motion'), ['bench:Play Walk', 'bench:Stop Walk']],
  ['fit', `/c/${character.id}/corvane-figure/fit`, ['Wire', 'Head']],
  ['targets', '/targets/headset-deck', []],
  ['recipes', '/recipes', []],
  ['matrix', '/matrix', []],
  ['runs', '/runs', []],
  ['report', `/report/${run.id}`, []],
];
const browser = await openChromium();
for (const [name, path, presses] of VIEWS) {
  if (only.length && !only.includes(name)) continue;
  const page = await browser.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  await page.goto(address + path);
  // The stage stands still once every map has arrived and every tile is cut, and the cast once everybody has a picture.
  const settle = async (least) => {
    let before = -1;
    for (let i = 0; i < 40; i++) {
      await new Promise((resolve) => setTimeout(resolve, least));
      const now = await page.evaluate(() =>
        document.querySelector(
          'canvas[data-dressed=false], .bench [role=status], .swatch .empty, .person .picture span',
        )
          ? -2
          : (window.dimetraFrames ?? 0),
      );
      if (now === before && now >= 0) return;
      before = now;
    }
  };
  await settle(2500);
  for (const text of presses) {
    if (text.startsWith('compare:')) {
      await page.select('select[aria-label="Compare with"]', text.slice(8));
      continue;
    }
    if (/^(label|row):/.test(text)) {
      await page.evaluate(
        (kind, wanted) =>
          [...document.querySelectorAll(kind === 'row' ? 'tbody tr' : 'label')]
            .find((one) => one.textContent.trim().startsWith(wanted))
            ?.click(),
        ...text.split(':'),
      );
      await new Promise((resolve) => setTimeout(resolve, 1500));
      continue;
    }
    if (text.startsWith('wait:')) {
      await page.waitForSelector(text.slice(5), { timeout: 120_000 });
      await new Promise((resolve) => setTimeout(resolve, 3000));
      continue;
    }
    if (text === 'bench:Show on the stage') {
      await page.evaluate(() => {
        const card = document.querySelector('[aria-label="Faces in a wrong material"]');
        card.scrollIntoView();
        card.querySelector('button').click();
      });
      await settle(2500);
      continue;
    }
    if (text.startsWith('bench:')) {
      await page.click(`button[aria-label="${text.slice(6)}"]`);
      await new Promise((resolve) => setTimeout(resolve, 2600));
      continue;
    }
    await page.evaluate(
      (wanted) =>
        [...document.querySelectorAll('.stage button')].find((button) => button.textContent.trim() === wanted)?.click(),
      text,
    );
    await settle(2000);
  }
  await page.screenshot({ path: join(out, `${name}.png`) });
  process.stdout.write(`${name}\n`);
  await page.close();
}
await browser.close();
