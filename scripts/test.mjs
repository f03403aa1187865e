// `dimetra test`: type check, format, lint, unit tests and browser tests; ends with `N passed, N failed`.
import { spawn, spawnSync } from 'node:child_process';
import { mkdtempSync, openSync, readFileSync, rmSync } from 'node:fs';
import { constants, setPriority, tmpdir } from 'node:os';
import { join } from 'node:path';
import { build, root } from './build.mjs';
import { bundleTests } from './bundle-tests.mjs';
import { findChromium, findPostgres, install } from './debian.mjs';

if (process.argv.includes('--help')) {
  process.stdout.write(
    'dimetra test\n\nInstalls what is missing and runs type check, lint, unit tests and browser tests.\n\ndimetra test --mutate ROOM [--count N] [--seed N]\n\nPuts faults into a room of the core, one at a time, and counts how many of them its tests notice.\n',
  );
  process.exit(0);
}
const flag = (name) => (process.argv.includes(name) ? process.argv[process.argv.indexOf(name) + 1] : undefined);
if (process.argv.includes('--mutate')) {
  const { mutate } = await import('./mutate.mjs'),
    [count, seed] = ['--count', '--seed'].map((name) => (flag(name) ? Number(flag(name)) : undefined));
  process.exit(await mutate(flag('--mutate') ?? '', { count, seed }));
}
if (!findPostgres()) install(['postgresql'], 'the database');
if (!findChromium()) install(['chromium'], 'the browser tests');
let passed = 0,
  failed = 0;
const step = (name, args) => {
  process.stdout.write(`\n== ${name}\n`);
  const ok = spawnSync(process.execPath, args, { cwd: root, stdio: 'inherit' }).status === 0;
  if (ok) passed++;
  else failed++;
};
// The type check takes a core for itself; what it says is told when the tests are done.
const folder = mkdtempSync(join(tmpdir(), 'dimetra-test-')),
  aside = (name, args) => {
    const file = join(folder, `${name}.txt`),
      out = openSync(file, 'w'),
      child = spawn(process.execPath, args, { cwd: root, stdio: ['ignore', out, out] });
    return { file, pid: child.pid, ended: new Promise((done) => child.on('exit', done)) };
  },
  types = aside('types', [join(root, 'node_modules/typescript/bin/tsc'), '-p', root]);
step('Format', [join(root, 'node_modules/@biomejs/biome/bin/biome'), 'format']);
step('Lint', [join(root, 'node_modules/@biomejs/biome/bin/biome'), 'lint', '--diagnostic-level=error']);
build('node');
await bundleTests();
process.env.DIMETRA_BUNDLED_TESTS = '1';
const vitest = (project) => [
  join(root, 'node_modules/vitest/vitest.mjs'),
  'run',
  '--project',
  project,
  '--reporter=default',
  '--reporter=json',
  `--outputFile.json=${join(folder, `${project}.json`)}`,
];
// Browser tests wait for pages half of their time: the unit tests, of lower priority, take what is left of the machine then.
const unit = aside('unit', vitest('unit'));
setPriority(unit.pid, constants.priority.PRIORITY_BELOW_NORMAL);
build('web');
process.stdout.write('\n== Tests: e2e (and unit, told afterwards)\n');
const browser = spawn(process.execPath, vitest('e2e'), { cwd: root, stdio: 'inherit' });
await Promise.all([unit.ended, new Promise((done) => browser.on('exit', done))]);
process.stdout.write('\n== Tests: unit\n');
process.stdout.write(readFileSync(unit.file));
process.stdout.write('\n== Type check\n');
if ((await types.ended) === 0) passed++;
else failed++;
process.stdout.write(readFileSync(types.file));
for (const project of ['unit', 'e2e']) {
  try {
    const result = JSON.parse(readFileSync(join(folder, `${project}.json`), 'utf8'));
    passed += result.numPassedTests;
    // A file that could not even be loaded counts as a failure too.
    failed +=
      result.numFailedTests +
      result.testResults.filter((file) => file.status === 'failed' && file.assertionResults.length === 0).length;
    if (!result.numPassedTests || (!result.success && !result.numFailedTests)) failed++;
  } catch {
    process.stdout.write(`The ${project} tests left no result.\n`);
    failed++;
  }
}
rmSync(folder, { recursive: true, force: true });
process.stdout.write(`\n${passed} passed, ${failed} failed\n`);
process.exit(failed ? 1 : 0);
