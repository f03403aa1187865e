// Builds what is out of date: `build.mjs node` for server and command line, `build.mjs web` for the client, both without.
import { createHash } from 'node:crypto';
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { fileURLToPath } from 'node:url';

export const root = join(dirname(fileURLToPath(import.meta.url)), '..');

/** Hash of names, sizes and contents of everything a build reads. */
function stateOf(folders) {
  const hash = createHash('sha256');
  const walk = (path) => {
    for (const entry of readdirSync(path, { withFileTypes: true }).sort((a, b) => (a.name < b.name ? -1 : 1))) {
      const full = join(path, entry.name);
      if (entry.isDirectory()) {
        if (entry.name !== 'node_modules') walk(full);
      } else if (/\.(ts|tsx|mjs|json|html|css|svg|woff2)$/.test(entry.name))
        hash.update(full.slice(root.length)).update(readFileSync(full));
    }
  };
  for (const folder of folders) if (existsSync(join(root, folder))) walk(join(root, folder));
  for (const file of ['package-lock.json', 'vite.node.config.ts', 'apps/web/vite.config.ts'])
    if (existsSync(join(root, file)) && statSync(join(root, file)).isFile())
      hash.update(readFileSync(join(root, file)));
  return hash.digest('hex');
}

const KINDS = {
  node: {
    folders: ['packages', 'apps/server', 'apps/cli', 'bench', 'scripts'],
    args: ['build', '--config', 'vite.node.config.ts', '--logLevel', 'error'],
    out: 'dist/node',
  },
  web: {
    folders: ['packages/core', 'packages/contract', 'apps/web'],
    args: ['build', 'apps/web', '--config', 'apps/web/vite.config.ts', '--logLevel', 'error'],
    out: 'dist/web',
  },
};

export function build(kind) {
  const { folders, args, out } = KINDS[kind];
  const state = stateOf(folders),
    stamp = join(root, 'dist', `.${kind}`);
  if (existsSync(join(root, out)) && existsSync(stamp) && readFileSync(stamp, 'utf8') === state) return;
  process.stderr.write(`Building ${kind === 'web' ? 'the client' : 'server and command line'}.\n`);
  const done = spawnSync(process.execPath, [join(root, 'node_modules/vite/bin/vite.js'), ...args], {
    cwd: root,
    stdio: ['ignore', 2, 2],
    // Asked for while tests run, it is the same build: React would make another of its own for them.
    env: { ...process.env, NODE_ENV: 'production' },
  });
  if (done.status !== 0) process.exit(5);
  mkdirSync(dirname(stamp), { recursive: true });
  writeFileSync(stamp, state);
}

if (process.argv[1] === fileURLToPath(import.meta.url))
  for (const kind of process.argv[2] ? [process.argv[2]] : ['node', 'web']) build(kind);
