import { chmod, mkdtemp, rm } from 'node:fs/promises';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { Recipe } from '@dimetra/core';
import { startApplication } from '../scripts/started.mjs';

interface RunRow {
  id: string;
  state: string;
  steps: { id: string; cached: boolean }[];
}
type Say = (name: string, value: string, wanted: string) => void;

/**
 * The application itself with its database, on an empty folder: a first run; the same again in processes that just
 * started; and one for a change in a late step. Waiting in the queue and every answer of the server count.
 */
export async function benchStored(bytes: Uint8Array, say: Say): Promise<void> {
  const data = await mkdtemp(join(tmpdir(), 'dimetra-bench-'));
  await chmod(data, 0o755);
  let app = await start(data);
  try {
    const form = new FormData();
    form.append('file', new Blob([bytes as Uint8Array<ArrayBuffer>]), 'pilot.glb');
    const { id } = (await (await fetch(`${app.api}/characters`, { method: 'POST', body: form })).json()) as {
      id: string;
    };
    const headset = await post(app.api, 'conversions', { characterId: id, targetId: 'headset-deck' }),
      first = await runOf(app.api, headset.id);
    await app.stop();
    app = await start(data);
    const again = await runOf(app.api, headset.id);
    if (!again.row.steps.every((step) => step.cached)) throw new Error('a step was done again');
    say('Run in the application, seconds', first.seconds.toFixed(1), '');
    say('  again, nothing changed, new processes, % of the first', percent(again.seconds, first.seconds), '≤ 5');
    const conversion = await asked<{ version: number; recipe: Recipe }>(
      await fetch(`${app.api}/conversions/${headset.id}`),
    );
    for (const step of conversion.recipe.steps) if (step.id === 'textures.fit') step.settings = { maxSize: 256 };
    await put(app.api, `conversions/${headset.id}/recipe`, conversion);
    const late = await runOf(app.api, headset.id);
    say('  maps made smaller, %', percent(late.seconds, first.seconds), '');
    const other = await post(app.api, 'conversions', { characterId: id, targetId: 'bridge-close-up' }),
      second = await runOf(app.api, other.id);
    say('  the same character for another target, %', percent(second.seconds, first.seconds), '');
  } finally {
    await app.stop();
    await rm(data, { recursive: true, force: true });
  }
}

const percent = (a: number, b: number) => ((100 * a) / b).toFixed(1);

async function start(data: string): Promise<{ api: string; stop(): Promise<void> }> {
  const { address, stop } = await startApplication(['--data', data, '--no-demo'], {
    quiet: true,
    // Bundled, this lies two folders down.
    script: join(import.meta.dirname, '../../scripts/start.mjs'),
  });
  return { api: `${address}/api/v1`, stop };
}

async function asked<T>(answer: Response): Promise<T> {
  if (!answer.ok) throw new Error(`${answer.status} ${await answer.text()}`);
  return (await answer.json()) as T;
}
const send = (method: string) => async (api: string, path: string, body?: object) =>
  asked<{ id: string }>(
    await fetch(`${api}/${path}`, {
      method,
      headers: { 'content-type': 'application/json' },
      body: body && JSON.stringify(body),
    }),
  );
const post = send('POST'),
  put = send('PUT');

async function runOf(api: string, conversion: string): Promise<{ row: RunRow; seconds: number }> {
  const from = performance.now(),
    { id } = await post(api, `conversions/${conversion}/runs`);
  for (;;) {
    const row = await asked<RunRow>(await fetch(`${api}/runs/${id}`));
    if (row.state === 'done' || row.state === 'failed') {
      if (row.state === 'failed') throw new Error(`the run failed: ${JSON.stringify(row)}`);
      return { row, seconds: (performance.now() - from) / 1000 };
    }
    await new Promise((resolve) => setTimeout(resolve, 25));
  }
}
