// Takes docs/screenshots/faces.png anew from a running application with the demo, source above result, for a target:
// node scripts/faces.mjs [ADDRESS] [TARGET] [OUT]
import { join } from 'node:path';
import { root } from './build.mjs';
import { openChromium } from './chromium.mjs';

const [address = 'http://127.0.0.1:4810', target = 'headset-deck', out = join(root, 'docs/screenshots/faces.png')] =
  process.argv.slice(2);
const characters = await (await fetch(`${address}/api/v1/characters`)).json();
const people = ['Harbour pilot', 'Deckhand', 'Rescue swimmer', 'Port signaller', 'Crane operator'].flatMap(
  (name) => characters.find((row) => row.name === name) ?? [],
);
const browser = await openChromium();
const page = await browser.newPage();
await page.setViewport({ width: 1280, height: 900 });
const settle = async () => {
  let before = -1;
  for (let i = 0; i < 60; i++) {
    await new Promise((resolve) => setTimeout(resolve, 1800));
    const now = await page.evaluate(() =>
      document.querySelector('.stage canvas')?.dataset.dressed === 'true' ? (window.dimetraFrames ?? 0) : -1,
    );
    if (now === before && now > 0) return;
    before = now;
  }
};
const press = async (text) => {
  await page.evaluate(
    (wanted) =>
      [...document.querySelectorAll('.stage button')].find((button) => button.textContent.trim() === wanted)?.click(),
    text,
  );
  await settle();
};
const post = async (path, body) =>
  (
    await fetch(`${address}/api/v1${path}`, {
      method: 'POST',
      headers: { 'Content-Type': 'application/json' },
      body: body && JSON.stringify(body),
    })
  ).json();
/** Runs a character for the target and waits. */
async function convert(characterId) {
  const { id } = await post('/conversions', { characterId, targetId: target }),
    run = await post(`/conversions/${id}/runs`);
  for (let i = 0; i < 300; i++) {
    const { state } = await (await fetch(`${address}/api/v1/runs/${run.id}`)).json();
    if (['done', 'failed'].includes(state)) return;
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}
/** Rows of the sheet: whose, and place. */
const ROWS = [
  ['Source', 'Head'],
  ['Result', 'Head'],
  ['Source', 'Eyes'],
  ['Result', 'Eyes'],
  ['Source', 'Mouth'],
  ['Result', 'Mouth'],
];
const pictures = [];
for (const person of people) {
  await convert(person.id);
  await page.goto(`${address}/c/${person.id}/${target}/intake`);
  await settle();
  await page.addStyleTag({ content: '.stage .chips, .stage .tag, .stage-bar, .stage .views { visibility: hidden }' });
  const box = await (await page.$('.stage canvas')).boundingBox();
  for (const [side, jump] of ROWS) {
    await press(side);
    await press(jump);
    const width = box.height * (jump === 'Head' ? 0.8 : 1.1);
    pictures.push({
      row: `${side} ${jump}`,
      url: `data:image/png;base64,${await page.screenshot({ encoding: 'base64', clip: { x: box.x + Math.max(0, (box.width - width) / 2), y: box.y, width: Math.min(width, box.width), height: box.height } })}`,
    });
  }
  process.stdout.write(`${person.name}\n`);
}
const cell = (picture) => `<figure><img src="${picture.url}"></figure>`;
await page.setViewport({ width: 1280, height: 100 });
await page.setContent(
  `<style>body{margin:0;padding:10px;background:#11161a;color:#e8e6df;font:600 15px system-ui,sans-serif}div{display:grid;grid-template-columns:repeat(${people.length},1fr);gap:6px;margin-bottom:6px}figure{margin:0;overflow:hidden;border-radius:6px;background:#2a3036}img{width:100%;height:100%;object-fit:cover;display:block}.Head figure{aspect-ratio:1/1.1}.Eyes figure,.Mouth figure{aspect-ratio:1/.62}.Result figure{border-top:3px solid #6cc7b4}.Source figure{border-top:3px solid #e3a173}</style><div>${people.map((person) => `<span>${person.name}</span>`).join('')}</div>${ROWS.map(
    ([side, jump]) =>
      `<div class="${jump} ${side}">${pictures
        .filter((picture) => picture.row === `${side} ${jump}`)
        .map(cell)
        .join('')}</div>`,
  ).join('')}`,
);
await page.evaluate(() => Promise.all([...document.images].map((image) => image.decode())));
await page.screenshot({ path: out, fullPage: true });
await browser.close();
