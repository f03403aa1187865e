// Bundles the tests of cast, core and command line with what they stand on: run as they are, every name that one file
// takes from another is a function call, which costs kernels a fifth of their speed, and each worker reads a thousand files.
import { readFileSync, rmSync } from 'node:fs';
import { readdir } from 'node:fs/promises';
import { dirname, join, relative } from 'node:path';
import { pathToFileURL } from 'node:url';
import { build } from 'esbuild';
import { root } from './build.mjs';
import { stepCodeDefine } from './step-code.mjs';

export const BUNDLED = ['packages/cast', 'packages/core', 'apps/cli'];
const OUT = 'dist/tests';

/** A file that asks where it lies is told where its source lies. */
const whereItLies = {
  name: 'where-it-lies',
  setup(esbuild) {
    esbuild.onLoad({ filter: /\.(tsx?|mjs)$/ }, ({ path }) => {
      if (path.includes('node_modules')) return undefined;
      const text = readFileSync(path, 'utf8');
      if (!text.includes('import.meta.')) return undefined;
      return {
        contents: text
          .replaceAll('import.meta.url', JSON.stringify(pathToFileURL(path).href))
          .replaceAll('import.meta.dirname', JSON.stringify(dirname(path))),
        loader: path.endsWith('x') ? 'tsx' : path.endsWith('mjs') ? 'js' : 'ts',
      };
    });
  },
};

export async function bundleTests() {
  rmSync(join(root, OUT), { recursive: true, force: true });
  const entryPoints = [];
  for (const folder of BUNDLED)
    for (const file of await readdir(join(root, folder), { recursive: true }))
      if (/\.test\.ts$/.test(file) && !file.includes('node_modules')) entryPoints.push(join(root, folder, file));
  const alias = Object.fromEntries(
    ['core', 'platform', 'cast', 'contract', 'eyes'].map((name) => [
      `@dimetra/${name}`,
      join(root, 'packages', name, 'src/index.ts'),
    ]),
  );
  await build({
    entryPoints,
    outbase: root,
    outdir: join(root, OUT),
    bundle: true,
    splitting: true,
    chunkNames: 'chunks/[hash]',
    format: 'esm',
    platform: 'node',
    target: 'node20',
    packages: 'external',
    alias,
    define: stepCodeDefine(),
    plugins: [whereItLies],
    sourcemap: 'inline',
    sourcesContent: false,
    logLevel: 'error',
    absWorkingDir: root,
  });
  return entryPoints.map((path) => relative(root, path));
}

if (process.argv[1] === new URL(import.meta.url).pathname) console.log((await bundleTests()).length);
