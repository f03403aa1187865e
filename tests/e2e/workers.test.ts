import type { ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import pg from 'pg';
import { afterAll, beforeAll, expect, it } from 'vitest';
import type { WorkerRow } from '@dimetra/contract';
import { writeGlb } from '@dimetra/core';
import { startApplication } from '../../scripts/started.mjs';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { openBrowser, openPage, shows } from './browser.ts';
import { makeMachine, type Machine } from './machines.ts';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-workers-'));
let address: string, stop: () => Promise<void>, password: string, databasePort: number;
let database: pg.Client;
const machines: Machine[] = [],
  workers: { child: ChildProcess; said: string; code: Promise<number | null> }[] = [];

beforeAll(async () => {
  chmodSync(folder, 0o755);
  ({ address, stop } = await startApplication(['--data', folder, '--no-demo'], {
    env: { DIMETRA_WORKER: 'none', DIMETRA_LOG: 'error', DIMETRA_HOLD_CONTRACT: '1' },
  }));
  password = readFileSync(join(folder, 'database-password'), 'utf8').trim();
  databasePort = Number(readFileSync(join(folder, 'postgres/postmaster.pid'), 'utf8').split('\n')[3]);
  database = new pg.Client(urlFrom('127.0.0.1', databasePort));
  database.on('error', () => {});
  await database.connect();
  for (const n of [1, 2]) machines.push(await makeMachine(n, databasePort));
});
afterAll(async () => {
  for (const { child } of workers) child.kill('SIGKILL');
  for (const machine of machines) machine.end();
  await database?.end().catch(() => {});
  await stop?.();
  rmSync(folder, { recursive: true, force: true });
});

const urlFrom = (host: string, port: number) => `postgres://dimetra:${password}@${host}:${port}/postgres`;

/** Starts a worker on a machine, as one does there. */
function startWorker({ host, port, start }: Machine, name: string, ...more: string[]) {
  const child = start(process.execPath, [
      fileURLToPath(new URL('../../dist/node/worker.js', import.meta.url)),
      '--database',
      urlFrom(host, port),
      '--name',
      name,
      '--threads',
      '1',
      ...more,
    ]),
    worker = {
      child,
      said: '',
      code: new Promise<number | null>((resolve) => child.once('exit', (code) => resolve(code))),
    };
  for (const stream of [child.stdout, child.stderr])
    stream?.on('data', (part) => {
      worker.said += String(part);
    });
  workers.push(worker);
  return worker;
}

const get = async <T>(path: string): Promise<T> => (await (await fetch(`${address}/api/v1/${path}`)).json()) as T,
  post = async (path: string, body?: object): Promise<{ id: string }> =>
    (await (
      await fetch(`${address}/api/v1/${path}`, {
        method: 'POST',
        headers: { 'content-type': 'application/json' },
        body: body && JSON.stringify(body),
      })
    ).json()) as { id: string };

async function until<T>(what: string, ask: () => Promise<T>, good: (value: T) => boolean, seconds = 180): Promise<T> {
  for (let i = 0; i < seconds * 5; i++) {
    const value = await ask();
    if (good(value)) return value;
    await new Promise((resolve) => setTimeout(resolve, 200));
  }
  throw new Error(`waited in vain for ${what}`);
}
const listed = () => get<WorkerRow[]>('workers');

it('two machines share the work of one queue; what one was at when it was lost, the other takes up; the page lists both', async () => {
  if (!machines.every(({ apart }) => apart))
    process.stderr.write('No networks of their own can be made here: both workers run on this machine.\n');
  const [first, second] = [
    startWorker(machines[0], 'north quay', '--memory', '2048'),
    startWorker(machines[1], 'south quay'),
  ];
  await until('both workers', listed, (rows) => rows.filter(({ state }) => state === 'idle').length === 2);
  await until(
    'its greeting',
    async () => first.said,
    (said) => said.includes('Taking runs of that database, 1 at once, as “north quay”'),
  );
  const runs: string[] = [];
  for (let i = 0; i < 6; i++) {
    const form = new FormData(),
      glb = (await writeGlb(stickFigure({ rings: 24 + i, sides: 24 }))) as Uint8Array<ArrayBuffer>;
    form.append('file', new Blob([glb]), `Stoker ${i}.glb`);
    const { id } = (await (await fetch(`${address}/api/v1/characters`, { method: 'POST', body: form })).json()) as {
        id: string;
      },
      conversion = await post('conversions', { characterId: id, targetId: 'headset-deck' });
    runs.push((await post(`conversions/${conversion.id}/runs`)).id);
  }
  // One is lost in the middle of its work, as when somebody pulls the plug.
  const at = await until('work on the south quay', listed, (rows) =>
    rows.some(({ name, state }) => name === 'south quay' && state === 'working'),
  );
  expect(at.find(({ name }) => name === 'north quay')).toMatchObject({ threads: 1, memoryMb: 2048 });
  second.child.kill('SIGKILL');
  const lost = at.find(({ name }) => name === 'south quay')?.runs[0].runId as string;
  const done = await until(
    'all runs',
    () => Promise.all(runs.map((id) => get<{ id: string; state: string; attempts: number }>(`runs/${id}`))),
    (rows) => rows.every(({ state }) => state === 'done' || state === 'failed'),
  );
  expect(done.map(({ state }) => state)).toEqual(runs.map(() => 'done'));
  expect(done.find(({ id }) => id === lost)?.attempts).toBe(2);
  const rows = await until('the silence', listed, (found) => found.some(({ state }) => state === 'silent'));
  expect(rows.find(({ name }) => name === 'south quay')).toMatchObject({ state: 'silent' });
  expect(rows.find(({ name }) => name === 'north quay')?.finished).toBeGreaterThanOrEqual(3);
  const { browser, close } = await openBrowser();
  try {
    const { page, errors } = await openPage(browser);
    await page.goto(`${address}/runs`);
    await shows(page, '[data-workers] summary', /One worker takes runs/);
    await shows(page, 'table[aria-label=Workers]', /north quay.*waits/);
    await shows(page, 'table[aria-label=Workers]', /south quay.*silent/);
    expect(errors).toEqual([]);
  } finally {
    await close();
  }
});

it('a worker of another version is refused, and one that is at it ends when the server becomes another', async () => {
  const [{ child, code }] = workers;
  expect(child.exitCode).toBeNull();
  await database.query("update program set stamp = 'other'");
  expect(await code).toBe(6);
  expect(workers[0].said).toMatch(
    /another version of Dimetra \([0-9a-f]{12}\) than the server of this database \(other\)/,
  );
  const late = startWorker(machines[1], 'east quay');
  expect(await late.code).toBe(6);
  expect(late.said).toContain('Start the same version on both.');
  // Neither is listed as one that takes anything.
  expect((await listed()).filter(({ state }) => state === 'idle' || state === 'working')).toEqual([]);
});

it.each([
  ['no database', ['--database', 'postgres://nobody@127.0.0.1:9/none'], 5, /The database can't be reached/],
  ['no number of threads', ['--threads', 'many'], 2, /--threads takes a whole number from 1 to 64/],
  ['an option that isn’t there', ['--quickly'], 2, /Unknown option/],
])('%s is told in a sentence', async (_, more, code, words) => {
  const worker = startWorker(machines[0], 'quay', ...more);
  expect(await worker.code).toBe(code);
  expect(worker.said).toMatch(words);
});
