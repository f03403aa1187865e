// `dimetra test --mutate ROOM`: puts one deliberate fault after another into a room of the core and counts how many of
// them the room's tests notice. Works on a copy of the sources, so that the tree stays as it is.
import { spawn } from 'node:child_process';
import {
  cpSync,
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs';
import { availableParallelism, tmpdir } from 'node:os';
import { basename, join } from 'node:path';
import { root } from './build.mjs';
import { NAMED } from './mutants/named.mjs';
import { drawMutants } from './mutants/draw.mjs';

export const ROOMS = [
  'recipe',
  'reduce',
  'weights',
  'morphs',
  'skeleton',
  'parity',
  'rest',
  'appearance',
  'maps',
  'materials',
  'textures',
];
const CORE = 'packages/core/src',
  /** Share of faults that have to be noticed. */
  WANTED = 0.8,
  /** A fault that makes its tests run this long is noticed: whoever waits sees it. */
  LONGEST = 180_000;

export async function mutate(room, { count = 30, seed = 1 } = {}) {
  if (!ROOMS.includes(room)) {
    process.stderr.write(`There is no room “${room}” to test with faults: ${ROOMS.join(', ')}.\n`);
    return 2;
  }
  const files = sources(`${CORE}/${room}`),
    mutants = [
      ...NAMED.filter((entry) => entry.room === room).map(asMutant),
      ...drawMutants(
        files.map((path) => ({ path, text: read(path) })),
        count,
        seed,
      ),
    ],
    tests = testsOf(room);
  process.stdout.write(
    `${mutants.length} faults in ${room}, judged by ${tests.map((path) => basename(path)).join(', ')}\n`,
  );
  const hands = Math.max(1, Math.min(4, availableParallelism())),
    waiting = [...mutants],
    folder = mkdtempSync(join(tmpdir(), 'dimetra-mutants-'));
  let noticed = 0;
  try {
    const copies = Array.from({ length: hands }, (_, i) => copyTree(join(folder, String(i))));
    if (!(await passes(copies[0], tests))) {
      process.stderr.write('The tests fail without any fault; mend that first.\n');
      return 2;
    }
    await Promise.all(
      copies.map(async (copy) => {
        for (let mutant = waiting.shift(); mutant; mutant = waiting.shift()) {
          const place = join(copy, mutant.path);
          writeFileSync(place, mutant.text);
          const survived = await passes(copy, tests);
          writeFileSync(place, read(mutant.path));
          if (!survived) noticed++;
          process.stdout.write(
            `${survived ? 'SURVIVED' : 'noticed '}  ${mutant.path.slice(CORE.length + 1)}:${mutant.line}  ${mutant.what}\n`,
          );
        }
      }),
    );
  } finally {
    rmSync(folder, { recursive: true, force: true });
  }
  const share = noticed / mutants.length;
  process.stdout.write(
    `${noticed} of ${mutants.length} faults noticed (${Math.round(share * 100)} %), wanted ${WANTED * 100} %\n`,
  );
  return share >= WANTED ? 0 : 1;
}

const read = (path) => readFileSync(join(root, path), 'utf8');

function sources(folder) {
  return readdirSync(join(root, folder), { recursive: true })
    .map((name) => `${folder}/${name}`)
    .filter((path) => path.endsWith('.ts') && !path.endsWith('.test.ts') && basename(path) !== 'index.ts')
    .sort();
}

/** The tests in the room, and those beside the rooms that use it. */
function testsOf(room) {
  const own = readdirSync(join(root, CORE, room), { recursive: true }).map((name) => `${CORE}/${room}/${name}`),
    beside = readdirSync(join(root, CORE))
      .map((name) => `${CORE}/${name}`)
      .filter((path) => path.endsWith('.test.ts') && read(path).includes(`'./${room}/`));
  return [...own.filter((path) => path.endsWith('.test.ts')), ...beside].sort();
}

/** A fault written by hand: what it replaces must be there once. */
function asMutant({ room, file, find, put, what }) {
  const path = `${CORE}/${room}/${file}`,
    text = read(path),
    at = text.indexOf(find);
  if (at < 0 || text.indexOf(find, at + 1) >= 0)
    throw new Error(`“${find}” stands not once in ${path}: say in scripts/mutants/named.mjs where “${what}” goes now.`);
  return { path, line: text.slice(0, at).split('\n').length, what, text: text.replace(find, () => put) };
}

/** Sources apart, packages shared. */
function copyTree(to) {
  mkdirSync(join(to, 'node_modules/@dimetra'), { recursive: true });
  for (const name of ['packages', 'scripts', 'vitest.config.ts', 'package.json', 'package-lock.json', 'tsconfig.json'])
    cpSync(join(root, name), join(to, name), { recursive: true, filter: (path) => basename(path) !== 'node_modules' });
  for (const name of readdirSync(join(root, 'node_modules')))
    if (name !== '@dimetra') symlinkSync(join(root, 'node_modules', name), join(to, 'node_modules', name));
  for (const name of readdirSync(join(to, 'packages')))
    symlinkSync(join(to, 'packages', name), join(to, 'node_modules/@dimetra', name));
  for (const name of readdirSync(join(root, 'packages'))) {
    const own = join(root, 'packages', name, 'node_modules');
    if (existsSync(own)) symlinkSync(own, join(to, 'packages', name, 'node_modules'));
  }
  return to;
}

function passes(copy, tests) {
  return new Promise((resolve) => {
    const child = spawn(
      process.execPath,
      [
        join(root, 'node_modules/vitest/vitest.mjs'),
        'run',
        '--project',
        'unit',
        '--bail=1',
        '--maxWorkers=1',
        ...tests,
      ],
      { cwd: copy, stdio: 'ignore', detached: true },
    );
    // The whole group: a fault that never ends runs in a process below this one.
    const late = setTimeout(() => process.kill(-child.pid, 'SIGKILL'), LONGEST);
    child.on('exit', (code) => {
      clearTimeout(late);
      resolve(code === 0);
    });
  });
}
