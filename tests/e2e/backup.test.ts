import { type ChildProcess, execFileSync, spawnSync } from 'node:child_process';
import { mkdirSync, mkdtempSync, chmodSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterAll, expect, it } from 'vitest';
import { stickFigure } from '../../packages/core/src/testing/stick-figure.ts';
import { writeGlb } from '@dimetra/core';
import { startApplication } from '../../scripts/started.mjs';

const folder = mkdtempSync(join(tmpdir(), 'dimetra-backup-'));
chmodSync(folder, 0o755);
let running: ChildProcess | null = null;
afterAll(async () => {
  if (running) await stop();
  rmSync(folder, { recursive: true, force: true });
});

async function start(data: string): Promise<string> {
  // One at a time: what a test leaves running would go on after the tests.
  if (running && running.exitCode === null && running.signalCode === null) await stop();
  const { address, app } = await startApplication(['--data', data, '--no-demo']);
  running = app;
  return `${address}/api/v1`;
}

async function stop(): Promise<void> {
  const app = running as ChildProcess,
    ended = new Promise((resolve) => app.once('exit', resolve));
  running = null;
  app.kill('SIGINT');
  await ended;
}

it('a copy of the stopped data folder, started elsewhere, has everything: characters, runs and packages', async () => {
  const data = join(folder, 'data'),
    copy = join(folder, 'safe');
  mkdirSync(data);
  let api = await start(data);
  const form = new FormData();
  form.append(
    'file',
    new Blob([(await writeGlb(stickFigure({ rings: 8, sides: 8 }))) as Uint8Array<ArrayBuffer>]),
    'Pilot.glb',
  );
  const { id } = (await (await fetch(`${api}/characters`, { method: 'POST', body: form })).json()) as { id: string };
  const post = async (path: string, body?: object) =>
    (await fetch(`${api}/${path}`, {
      method: 'POST',
      headers: { 'content-type': 'application/json' },
      body: body && JSON.stringify(body),
    }).then((answer) => answer.json())) as { id: string };
  const conversion = await post('conversions', { characterId: id, targetId: 'quayside-crowd' }),
    run = await post(`conversions/${conversion.id}/runs`);
  const seen = async () =>
    (await (await fetch(`${api}/runs/${run.id}`)).json()) as { state: string; deliveryId: string; checks: unknown[] };
  let done = await seen();
  for (let i = 0; i < 400 && done.state !== 'done' && done.state !== 'failed'; i++) {
    await new Promise((resolve) => setTimeout(resolve, 250));
    done = await seen();
  }
  expect(done.state).toBe('done');
  const packageOf = async () => {
    const answer = await fetch(`${api}/deliveries/${done.deliveryId}/package`);
    return `${answer.status} ${Buffer.from(await answer.arrayBuffer()).toString('base64')}`;
  };
  const before = await packageOf(),
    inventory = await (await fetch(`${api}/characters/${id}`)).text();
  await stop();
  // As the guide says it.
  execFileSync('cp', ['-a', data, copy]);
  rmSync(data, { recursive: true });
  api = await start(copy);
  expect(await (await fetch(`${api}/characters/${id}`)).text()).toBe(inventory);
  expect(await seen()).toEqual(done);
  expect(await packageOf()).toBe(before);
  // And it goes on: nothing has to be done again.
  const again = await post(`conversions/${conversion.id}/runs`);
  for (let i = 0; i < 400; i++) {
    const row = (await (await fetch(`${api}/runs/${again.id}`)).json()) as {
      state: string;
      steps: { cached: boolean }[];
    };
    if (row.state === 'done') {
      expect(row.steps.every((step) => step.cached)).toBe(true);
      return;
    }
    await new Promise((resolve) => setTimeout(resolve, 250));
  }
  throw new Error('the run did not end');
});

it('starts again after it was killed outright, ends what that left behind, and refuses a folder in use', async () => {
  const data = join(folder, 'killed');
  mkdirSync(data);
  const before = await start(data),
    killed = running as ChildProcess,
    form = new FormData();
  form.append('file', new Blob([(await writeGlb(stickFigure())) as Uint8Array<ArrayBuffer>]), 'Deckhand.glb');
  const { id } = (await (await fetch(`${before}/characters`, { method: 'POST', body: form })).json()) as { id: string };
  // A second start in the same folder says so, and does the first no harm.
  const second = spawnSync(process.execPath, ['scripts/start.mjs', '--data', data, '--no-demo'], { encoding: 'utf8' });
  expect([second.status, second.stderr]).toEqual([
    5,
    expect.stringContaining(`Another Dimetra (process ${killed.pid}) uses`),
  ]);
  expect((await fetch(`${before}/characters/${id}`)).status).toBe(200);
  killed.kill('SIGKILL');
  await new Promise((resolve) => killed.once('exit', resolve));
  // Its server and its database are still there.
  expect((await fetch(`${before}/characters/${id}`)).status).toBe(200);
  const api = await start(data);
  expect((await fetch(`${api}/characters/${id}`)).status).toBe(200);
  if (api !== before) await expect(fetch(`${before}/characters`)).rejects.toThrow();
});
