// What every step is made of: a hash over the text of all files that its own file stands on, and the versions of the packages they use. It is part of the key under which a step's result is kept, so that no result outlives the code that made it.
import { createHash } from 'node:crypto';
import { readdirSync, readFileSync } from 'node:fs';
import { dirname, join, relative } from 'node:path';
import { fileURLToPath } from 'node:url';

const root = join(dirname(fileURLToPath(import.meta.url)), '..');
const readText = (path) => readFileSync(join(root, path), 'utf8');
const CORE = 'packages/core/src';
/** What steps are given from outside: images are drawn and read by it. */
const GIVEN = 'packages/platform/src/codec.ts';
/** What follows the last step, and the second eyes that look at it. */
const CONCLUSION = [`${CORE}/deliver/convert.ts`, 'packages/eyes/src/index.ts', GIVEN];

/**
 * @param read text of a file by its path from the root of the repository
 * @returns a hash by step's id, and under `conclusion` that of what follows the steps
 */
export function stepCode(read = readText) {
  const lock = JSON.parse(read('package-lock.json')).packages,
    known = new Map();
  const node = (path) => {
    const there = known.get(path);
    if (there) return there;
    const text = read(path),
      [files, packages] = importsOf(text, path),
      made = { hash: sha(text), files, packages };
    known.set(path, made);
    return made;
  };
  const hashOf = (starts) => {
    const files = new Set(starts),
      packages = new Set();
    for (const path of files) {
      const made = node(path);
      for (const next of made.files) files.add(next);
      for (const name of made.packages) addPackage(packages, name, lock);
    }
    const lines = [...files].map((path) => `${path} ${node(path).hash}`);
    return sha([...lines.sort(), ...[...packages].sort()].join('\n')).slice(0, 32);
  };
  const out = { conclusion: hashOf(CONCLUSION) };
  for (const path of filesUnder(CORE).filter((path) => path.endsWith('-step.ts'))) {
    const id = /defineStep\(\{\s*id: '([^']+)'/.exec(read(path))?.[1];
    if (id) out[id] = hashOf([path, GIVEN]);
  }
  return out;
}

/** Files and packages that a file stands on; what it only takes types from can't change what it does. */
function importsOf(text, path) {
  const files = [],
    packages = [];
  const said = [
    ...text.matchAll(/^(?:import|export)\s+(type\s+)?(?:[\w$*{}\s,]+?\s+from\s+)?['"]([^'"\n]+)['"]/gm),
    ...text.matchAll(/\bimport\(()['"]([^'"\n]+)['"]\)/g),
  ];
  for (const [, what, from] of said) {
    if (what) continue;
    if (from.startsWith('.')) files.push(relative(root, join(root, dirname(path), from)));
    // What stands on the core's front door doesn't stand on all of the core.
    else if (from === '@dimetra/core') continue;
    else if (from.startsWith('@dimetra/')) files.push(`packages/${from.split('/')[1]}/src/index.ts`);
    else if (!from.startsWith('node:'))
      packages.push(
        from
          .split('/')
          .slice(0, from[0] === '@' ? 2 : 1)
          .join('/'),
      );
  }
  return [files, packages];
}

function addPackage(out, name, lock) {
  const entry = lock[`node_modules/${name}`];
  if (!entry || out.has(`${name} ${entry.version}`)) return;
  out.add(`${name} ${entry.version}`);
  for (const needed of Object.keys(entry.dependencies ?? {})) addPackage(out, needed, lock);
}

function filesUnder(folder) {
  return readdirSync(join(root, folder), { recursive: true })
    .map((name) => `${folder}/${name}`)
    .sort();
}

const sha = (text) => createHash('sha256').update(text).digest('hex');

/** For the `define` of a build or of the tests. */
export const stepCodeDefine = () => ({ __STEP_CODE__: JSON.stringify(stepCode()) });
