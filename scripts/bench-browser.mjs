// How long the first picture takes in Dimetra against a bare three.js page with the same file, and how soon a
// slider shows: node scripts/bench-browser.mjs ADDRESS FILE.glb [RUN] (a running Dimetra whose first character is that
// file); with a run also how long the proving ground takes with its package against the bare page with the model in it.
import { createReadStream, existsSync, statSync } from 'node:fs';
import { createServer } from 'node:http';
import { extname, join } from 'node:path';
import { unzipSync } from 'fflate';
import { root } from './build.mjs';
import { openChromium } from './chromium.mjs';

const [address = 'http://127.0.0.1:4810', file, run] = process.argv.slice(2);
if (!file || !existsSync(file)) {
  process.stderr.write('node scripts/bench-browser.mjs ADDRESS FILE.glb [RUN]\n');
  process.exit(2);
}
/** As soon as all is asked for, as Dimetra counts its frames. */
const ASKED = 'renderer.getContext().finish();',
  /** Once it is drawn: a pixel is asked for, which nothing but a finished picture answers. The proving ground is ready no sooner. */
  DRAWN = 'const gl = renderer.getContext(); gl.readPixels(0, 0, 1, 1, gl.RGBA, gl.UNSIGNED_BYTE, new Uint8Array(4));';
const bareFor = (
  model,
  done,
) => `<!doctype html><style>body{margin:0}</style><canvas width=874 height=618></canvas><script type="importmap">{"imports":{"three":"/three/build/three.module.js","three/addons/":"/three/examples/jsm/"}}</script><script type="module">
import * as THREE from 'three'; import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
const renderer = new THREE.WebGLRenderer({ canvas: document.querySelector('canvas'), antialias: true });
const scene = new THREE.Scene(); scene.add(new THREE.HemisphereLight(), new THREE.DirectionalLight());
const camera = new THREE.PerspectiveCamera(28, 874 / 618, 0.02, 60); camera.position.set(0.9, 1.25, 4.6); camera.lookAt(0, 0.9, 0);
new GLTFLoader().load('${model}', ({ scene: figure }) => { scene.add(figure); renderer.render(scene, camera); ${done} window.ready = performance.now(); });
</script>`;
const TYPES = { '.js': 'text/javascript', '.glb': 'model/gltf-binary', '.wasm': 'application/wasm' };
const server = createServer((request, response) => {
  if (request.url === '/' || request.url === '/with-delivered') {
    response
      .setHeader('content-type', 'text/html')
      .end(request.url === '/' ? bareFor('/model.glb', ASKED) : bareFor('/delivered.glb', DRAWN));
    return;
  }
  if (request.url === '/delivered.glb') {
    response.setHeader('content-type', 'model/gltf-binary').end(delivered);
    return;
  }
  const path = request.url === '/model.glb' ? file : join(root, 'node_modules', request.url.replace(/\.\./g, ''));
  if (!existsSync(path) || !statSync(path).isFile()) {
    response.writeHead(404).end();
    return;
  }
  response.setHeader('content-type', TYPES[extname(path)] ?? 'application/octet-stream');
  createReadStream(path).pipe(response);
});
await new Promise((resolve) => server.listen(0, '127.0.0.1', resolve));
const delivered = run && (await modelOf(run));
const [character] = await (await fetch(`${address}/api/v1/characters`)).json();
const browser = await openChromium();
async function modelOf(id) {
  const { deliveryId } = await (await fetch(`${address}/api/v1/runs/${id}`)).json(),
    archive = await fetch(`${address}/api/v1/deliveries/${deliveryId}/trial`),
    found = Object.entries(unzipSync(new Uint8Array(await archive.arrayBuffer()))).find(([path]) =>
      /\.glb$/.test(path),
    );
  if (!found) throw new Error('this run delivered no .glb');
  return found[1];
}
const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];
async function fresh(url, until) {
  const context = await browser.createBrowserContext(),
    page = await context.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  await page.evaluateOnNewDocument(() => {
    const watch = () => {
      if (
        !window.firstPicture &&
        ((window.dimetraFrames && window.dimetraFigures) || document.querySelector('[data-proving=ready]'))
      )
        window.firstPicture = performance.now();
      requestAnimationFrame(watch);
    };
    requestAnimationFrame(watch);
  });
  await page.goto(url);
  await page.waitForFunction(until, { timeout: 120_000, polling: 50 });
  const at = await page.evaluate(() => window.ready ?? window.firstPicture);
  return { at, page, context };
}
const bare = [],
  ours = [];
let slider = 0;
for (let i = 0; i < 3; i++) {
  const a = await fresh(`http://127.0.0.1:${server.address().port}/`, 'window.ready > 0');
  bare.push(a.at);
  await a.context.close();
  const b = await fresh(`${address}/c/${character.id}/bridge-close-up/morphs`, 'window.firstPicture > 0');
  ours.push(b.at);
  if (i === 2) {
    await b.page.waitForSelector('.bench [role=slider]');
    // As somebody meets it who has looked at the figure: while its maps come, a page has other work.
    await b.page.waitForFunction("document.querySelector('.stage canvas')?.dataset.dressed === 'true'", {
      timeout: 120_000,
    });
    await new Promise((resolve) => setTimeout(resolve, 3000));
    slider = await b.page.evaluate(async () => {
      const knob = document.querySelector('.bench [role=slider]');
      knob.focus();
      const times = [];
      for (let k = 0; k < 7; k++) {
        const start = performance.now();
        knob.dispatchEvent(new KeyboardEvent('keydown', { key: 'ArrowRight', bubbles: true }));
        const before = knob.getAttribute('aria-valuenow');
        await new Promise((resolve) => {
          const look = () =>
            knob.getAttribute('aria-valuenow') !== before || performance.now() - start > 2000
              ? resolve()
              : setTimeout(look, 1);
          look();
        });
        times.push(performance.now() - start);
        await new Promise((resolve) => setTimeout(resolve, 1500));
      }
      return times.sort((a, b) => a - b)[3];
    });
  }
  await b.context.close();
}
const proving = [],
  bareToo = [];
for (let i = 0; run && i < 3; i++)
  for (const [list, url, until] of [
    [bareToo, `http://127.0.0.1:${server.address().port}/with-delivered`, 'window.ready > 0'],
    [proving, `${address}/proving/${run}`, 'window.firstPicture > 0'],
  ]) {
    const { at, context } = await fresh(url, until);
    list.push(at);
    await context.close();
  }
await browser.close();
server.close();
if (run)
  process.stdout.write(
    `Proving ground: bare three.js ${median(bareToo).toFixed(0)} ms, Dimetra ${median(proving).toFixed(0)} ms, ratio ${(median(proving) / median(bareToo)).toFixed(2)} (wanted ≤ 3)\n`,
  );
process.stdout.write(
  `First picture: bare three.js ${median(bare).toFixed(0)} ms, Dimetra ${median(ours).toFixed(0)} ms, ratio ${(median(ours) / median(bare)).toFixed(2)} (wanted ≤ 3)\nA morph's slider shows its new value after ${slider.toFixed(0)} ms (wanted ≤ 100)\n`,
);
