// How long the first picture takes in Dimetra against a bare three.js page with the same file, and how soon a
// slider shows: node scripts/bench-browser.mjs ADDRESS FILE.glb (a running Dimetra whose first character is that file)
import { createReadStream, existsSync, statSync } from 'node:fs';
import { createServer } from 'node:http';
import { extname, join } from 'node:path';
import { root } from './build.mjs';
import { openChromium } from './chromium.mjs';

const [address = 'http://127.0.0.1:4810', file] = process.argv.slice(2);
if (!file || !existsSync(file)) {
  process.stderr.write('node scripts/bench-browser.mjs ADDRESS FILE.glb\n');
  process.exit(2);
}
const BARE = `<!doctype html><style>body{margin:0}</style><canvas width=874 height=618></canvas><script type="importmap">{"imports":{"three":"/three/build/three.module.js","three/addons/":"/three/examples/jsm/"}}</script><script type="module">
import * as THREE from 'three'; import { GLTFLoader } from 'three/addons/loaders/GLTFLoader.js';
const renderer = new THREE.WebGLRenderer({ canvas: document.querySelector('canvas'), antialias: true });
const scene = new THREE.Scene(); scene.add(new THREE.HemisphereLight(), new THREE.DirectionalLight());
const camera = new THREE.PerspectiveCamera(28, 874 / 618, 0.02, 60); camera.position.set(0.9, 1.25, 4.6); camera.lookAt(0, 0.9, 0);
new GLTFLoader().load('/model.glb', ({ scene: figure }) => { scene.add(figure); renderer.render(scene, camera); renderer.getContext().finish(); window.ready = performance.now(); });
</script>`;
const TYPES = { '.js': 'text/javascript', '.glb': 'model/gltf-binary', '.wasm': 'application/wasm' };
const server = createServer((request, response) => {
  if (request.url === '/') {
    response.setHeader('content-type', 'text/html').end(BARE);
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
const [character] = await (await fetch(`${address}/api/v1/characters`)).json();
const browser = await openChromium();
const median = (list) => [...list].sort((a, b) => a - b)[Math.floor(list.length / 2)];
async function fresh(url, until) {
  const context = await browser.createBrowserContext(),
    page = await context.newPage();
  await page.setViewport({ width: 1280, height: 800 });
  await page.evaluateOnNewDocument(() => {
    const watch = () => {
      if (!window.firstPicture && window.dimetraFrames && window.dimetraFigures)
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
await browser.close();
server.close();
process.stdout.write(
  `First picture: bare three.js ${median(bare).toFixed(0)} ms, Dimetra ${median(ours).toFixed(0)} ms, ratio ${(median(ours) / median(bare)).toFixed(2)} (wanted ≤ 3)\nA morph's slider shows its new value after ${slider.toFixed(0)} ms (wanted ≤ 100)\n`,
);
