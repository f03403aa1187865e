// Takes docs/screenshots/people.png anew from a running application with the demo: node scripts/cast-sheet.mjs [ADDRESS] [OUT]
import { join } from 'node:path';
import { root } from './build.mjs';
import { openChromium } from './chromium.mjs';

const [address = 'http://127.0.0.1:4810', out = join(root, 'docs/screenshots/people.png')] = process.argv.slice(2);
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
    const now = await page.evaluate(() => window.dimetraFrames ?? 0);
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
/** Runs a character for the closest target and waits. */
async function convert(characterId) {
  const { id } = await post('/conversions', { characterId, targetId: 'bridge-close-up' }),
    run = await post(`/conversions/${id}/runs`);
  for (let i = 0; i < 300; i++) {
    const { state } = await (await fetch(`${address}/api/v1/runs/${run.id}`)).json();
    if (['done', 'failed'].includes(state)) return;
    await new Promise((resolve) => setTimeout(resolve, 500));
  }
}
/** Rows of the sheet: look and place. */
const ROWS = [
  ['Material', 'Figure'],
  ['Clay', 'Figure'],
  ['Material', 'Head'],
  ['Clay', 'Head'],
];
const pictures = [];
for (const person of people) {
  const { revision } = await (await fetch(`${address}/api/v1/characters/${person.id}`)).json();
  // Who arrives torn apart, or with teeth on the forehead, is shown as the run mends them.
  const mended = revision.findings.some((finding) =>
    ['skeleton.broken-bind', 'materials.misplaced'].includes(finding.code),
  );
  if (mended) await convert(person.id);
  await page.goto(`${address}/c/${person.id}/bridge-close-up/intake`);
  await settle();
  await page.addStyleTag({ content: '.stage .chips, .stage .tag, .stage-bar, .stage .views { visibility: hidden }' });
  await press(mended ? 'Result' : 'Source');
  const box = await (await page.$('.stage canvas')).boundingBox();
  for (const [look, jump] of ROWS) {
    await press(look);
    await press(jump);
    // A figure is tall, with its arms aside as wide as it needs; a head fills a square.
    const width = jump === 'Head' ? box.height * 0.8 : box.width * 0.72;
    pictures.push({
      row: `${look} ${jump}`,
      person: person.name,
      url: `data:image/png;base64,${await page.screenshot({ encoding: 'base64', clip: { x: box.x + (box.width - width) / 2, y: box.y, width, height: box.height } })}`,
    });
  }
  process.stdout.write(`${person.name}\n`);
}
const cell = (picture) => `<figure><img src="${picture.url}"></figure>`;
await page.setViewport({ width: 1280, height: 100 });
await page.setContent(
  `<style>body{margin:0;padding:10px;background:#11161a;color:#e8e6df;font:600 15px system-ui,sans-serif}div{display:grid;grid-template-columns:repeat(${people.length},1fr);gap:6px;margin-bottom:6px}figure{margin:0;overflow:hidden;border-radius:6px;background:#2a3036}img{width:100%;height:100%;object-fit:cover;display:block}.Figure figure{aspect-ratio:1/1.02}.Head figure{aspect-ratio:1/1.1}</style><div>${people.map((person) => `<span>${person.name}</span>`).join('')}</div>${ROWS.map(
    ([look, jump]) =>
      `<div class="${jump}">${pictures
        .filter((picture) => picture.row === `${look} ${jump}`)
        .map(cell)
        .join('')}</div>`,
  ).join('')}`,
);
await page.evaluate(() => Promise.all([...document.images].map((image) => image.decode())));
await page.screenshot({ path: out, fullPage: true });
await browser.close();
