import { spawn, spawnSync } from 'node:child_process';
import { existsSync, mkdtempSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, describe, expect, it } from 'vitest';
import { SHIPPED_TARGETS } from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { writeCrew } from './testing/crew.ts';
import { driftOf } from './baseline.ts';
import type { Cell } from './cell.ts';
import { junitXml } from './junit.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-batch-'));
afterAll(() => rmSync(folder, { recursive: true, force: true }));
const at = (name: string) => join(folder, name);
const run = (...args: string[]) => {
  const done = spawnSync(process.execPath, ['dist/node/cli.js', 'convert', ...args], { encoding: 'utf8' });
  return { code: done.status, out: done.stdout, err: done.stderr };
};
await writeCrew(folder);
writeFileSync(at('stoker.glb'), 'glTF and no more');
const crowd = SHIPPED_TARGETS.find(({ id }) => id === 'quayside-crowd') as (typeof SHIPPED_TARGETS)[number];
writeFileSync(
  at('pier.json'),
  JSON.stringify({ ...crowd, id: 'pier', package: { format: 'usda' }, appearance: { noteOnly: [] } }),
);
const cell = (change: Partial<Cell> = {}): Cell => ({
  character: 'mate',
  target: 'pier',
  folder: 'mate/pier',
  state: 'delivered',
  checks: [],
  files: [],
  drift: [],
  seconds: 1,
  ...change,
});
const check = (rule: string, measured: number, ok = true, blocking = true) =>
  ({ rule, title: `Rule ${rule}`, ok, blocking, measured, limit: 1, message: `“${rule}” < & is broken` }) as never;

describe('a batch', () => {
  const orders = [
    at('crew'),
    '--target',
    'quayside-crowd',
    '--target',
    at('pier.json'),
    '--out',
    at('out'),
    '--jobs',
    '2',
    '--junit',
    at('rules.xml'),
    '--baseline',
    at('baseline.json'),
    '--json',
  ];
  it('makes every character for every target, each in its folder, and says so for build servers', () => {
    const { code, out, err } = run(...orders);
    expect(code, err).toBe(0);
    const { cells, failed } = JSON.parse(out) as { cells: Cell[]; failed: unknown[] };
    expect(failed).toEqual([]);
    expect(cells.map((one) => [one.folder, one.state])).toEqual([
      ['sailor/quayside-crowd', 'delivered'],
      ['sailor/pier', 'delivered'],
      ['sailor-2/quayside-crowd', 'delivered'],
      ['sailor-2/pier', 'delivered'],
    ]);
    for (const one of cells)
      for (const file of one.files)
        expect(sha256(new Uint8Array(readFileSync(join(at('out'), one.folder, file.path))))).toBe(file.sha256);
    expect(readdirSync(at('out/sailor/pier'))).toContain('sailor.usda');
    expect(err).toMatch(/4 of 4 · /);
    const xml = readFileSync(at('rules.xml'), 'utf8');
    expect(xml.match(/<testsuite /g)).toHaveLength(4);
    expect(xml.match(/<testcase /g)).toHaveLength(cells.reduce((sum, one) => sum + one.checks.length, 0));
    expect(Object.keys(JSON.parse(readFileSync(at('baseline.json'), 'utf8')).cells)).toHaveLength(4);
  });
  it('leaves what is made of the same, and makes again what lost a file; worse than the baseline is told', () => {
    const base = JSON.parse(readFileSync(at('baseline.json'), 'utf8'));
    rmSync(at('out/sailor/pier/sailor.usda'));
    const better = Object.entries(base.cells['sailor/pier'] as Record<string, number>).find(
      ([, value]) => value > 1,
    ) as [string, number];
    base.cells['sailor/pier'][better[0]] = better[1] / 2;
    writeFileSync(at('baseline.json'), JSON.stringify(base));
    const { code, out } = run(...orders);
    expect(code).toBe(4);
    const { cells } = JSON.parse(out) as { cells: Cell[] };
    expect(cells.map(({ state }) => state)).toEqual(['unchanged', 'delivered', 'unchanged', 'unchanged']);
    expect(cells[1].drift).toEqual([`${better[0]}: ${better[1]}, before ${better[1] / 2}`]);
    expect(existsSync(at('out/sailor/pier/sailor.usda'))).toBe(true);
    expect(readFileSync(at('rules.xml'), 'utf8')).toMatch(/name="baseline /);
  });
  it('goes on past what can’t be read, and leaves nothing half made', () => {
    const { code, out, err } = run(
      at('crew/mate/sailor.glb'),
      at('stoker.glb'),
      at('nobody.glb'),
      '--target',
      'quayside-crowd',
      '--out',
      at('some'),
    );
    expect(code).toBe(3);
    expect(out).toMatch(/sailor\/quayside-crowd +delivered/);
    expect(out).toMatch(/stoker\/quayside-crowd +failed .*stoker\.glb/);
    expect(err).toMatch(/nobody\.glb/);
    expect(readdirSync(at('some')).sort()).toEqual(['batch.json', 'sailor']);
    expect(run(at('crew'), '--target', 'quayside-crowd', '--out', at('x'), '--jobs', 'many').code).toBe(2);
    expect(run(at('crew'), '--target', 'quayside-crowd', '--out', at('x'), '--main', 'no/such.glb').err).toMatch(
      /holds no model “no\/such\.glb”/,
    );
    writeFileSync(at('broken.json'), '{"schema":1}');
    expect(run(at('crew'), '--target', 'quayside-crowd', '--out', at('x'), '--baseline', at('broken.json')).code).toBe(
      3,
    );
    expect(existsSync(at('x'))).toBe(false);
  });
  it('stops when it is told to, with nothing half made', async () => {
    const child = spawn(
      process.execPath,
      [
        'dist/node/cli.js',
        'convert',
        at('crew'),
        '--target',
        'quayside-crowd',
        '--out',
        at('stopped'),
        '--jobs',
        '1',
        '--json',
      ],
      { stdio: ['ignore', 'pipe', 'pipe'] },
    );
    let out = '';
    child.stdout.setEncoding('utf8').on('data', (text: string) => {
      out += text;
    });
    child.stderr.setEncoding('utf8').on('data', (text: string) => {
      if (text.includes('1 of 2')) child.kill('SIGINT');
    });
    const code = await new Promise((done) => child.on('close', done));
    expect(code).toBe(3);
    const { cells } = JSON.parse(out) as { cells: Cell[] };
    expect(cells.at(-1)).toMatchObject({ state: 'failed', problem: 'stopped' });
    expect(readdirSync(at('stopped'), { recursive: true }).filter((name) => String(name).endsWith('.part'))).toEqual(
      [],
    );
  });
});

describe('what build servers read', () => {
  it('tells failed, skipped and broken apart, whatever the words hold', () => {
    const xml = junitXml(
      [
        cell({ checks: [check('a', 2, false), check('b', 1, false, false), check('c', 0)], drift: ['c: 3, before 1'] }),
        cell({ folder: 'cook/"pier"', state: 'failed', problem: 'gone\u0000' }),
      ],
      [{ path: 'x.glb', message: 'cut off' }],
    );
    expect(xml).toContain('<testsuite name="inputs" tests="1" failures="0" errors="1"');
    expect(xml).toContain('<testsuite name="mate/pier" tests="4" failures="2" errors="0" skipped="1"');
    expect(xml).toContain('<failure message="“a” &#60; &#38; is broken"/>');
    expect(xml).toContain('name="cook/&#34;pier&#34;"');
    expect(xml).not.toContain('\u0000');
  });
});

describe('a baseline', () => {
  const baseline = { schema: 1 as const, drift: { percent: 10, least: 0.5 }, cells: { 'mate/pier': { a: 10, b: 0 } } };
  it('lets numbers be so much worse and no more, and knows nothing of what is new', () => {
    expect(driftOf(cell({ checks: [check('a', 11.5), check('b', 0.5), check('new', 99)] }), baseline)).toEqual([]);
    expect(driftOf(cell({ checks: [check('a', 11.6), check('b', 0.6)] }), baseline)).toEqual([
      'a: 11.6, before 10',
      'b: 0.6, before 0',
    ]);
    expect(driftOf(cell({ folder: 'other/pier', checks: [check('a', 99)] }), baseline)).toEqual([]);
  });
});

it("the documents' example of a pipeline delivers, and ends with what went wrong", () => {
  const step = (cast: string, targets: string) =>
    spawnSync('sh', [join(process.cwd(), 'docs/examples/deliver.sh')], {
      encoding: 'utf8',
      env: {
        ...process.env,
        CAST: cast,
        TARGETS: targets,
        OUT: at('step'),
        BASELINE: at('step-baseline.json'),
        DIMETRA: join(process.cwd(), 'dimetra'),
      },
    });
  const done = step(at('crew'), at('pier.json'));
  expect(done.status, done.stderr).toBe(0);
  expect(done.stdout).toContain('Everything can be delivered');
  expect(readFileSync(at('step/rules.xml'), 'utf8')).toContain('<testsuite');
  expect(existsSync(at('step-baseline.json'))).toBe(true);
  const wrong = step(at('stoker.glb'), 'quayside-crowd');
  expect([wrong.status, wrong.stderr]).toEqual([3, expect.stringContaining("can't be read")]);
});
