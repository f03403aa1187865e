import { spawnSync } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import type { TestProject } from 'vitest/node';
import { findPostgres, isRoot } from '../../scripts/debian.mjs';
import { startApplication } from '../../scripts/started.mjs';

declare module 'vitest' {
  export interface ProvidedContext {
    address: string;
    data: string;
  }
}

/** Two applications make their cast at once while unit tests run; a slow machine takes minutes for it. */
const PATIENCE_S = 900;

/** Starts the real application with the small demo, as a user would, and stops it at the end. */
export default async function setup(project: TestProject): Promise<() => void> {
  const data = mkdtempSync(join(tmpdir(), 'dimetra-e2e-'));
  chmodSync(data, 0o755);
  const { address, stop } = await startApplication(['--data', data, '--small-demo'], {
    env: { DIMETRA_WORKER_PIDFILE: join(data, 'worker.pid'), DIMETRA_LOG: 'error', DIMETRA_HOLD_CONTRACT: '1' },
  });
  // The rest of the demo cast is made beside the running server: tests that count wait for it.
  for (let i = 0; i < PATIENCE_S; i++) {
    const cast = (await (await fetch(`${address}/api/v1/characters`)).json()) as unknown[];
    if (cast.length >= 5) break;
    if (i === PATIENCE_S - 1) throw new Error(`Only ${cast.length} of the demo's five people arrived.`);
    await new Promise((resolve) => setTimeout(resolve, 1000));
  }
  project.provide('address', address);
  project.provide('data', data);
  return async () => {
    await stop();
    // Ctrl C stops everything: nothing of this data folder may still run.
    const left = spawnSync('pgrep', ['-f', data], { encoding: 'utf8' }).stdout.trim();
    rmSync(data, { recursive: true, force: true });
    if (left) throw new Error(`Still running after Ctrl C: ${left}`);
  };
}

export const workerPid = (data: string): number => Number(readFileSync(join(data, 'worker.pid'), 'utf8'));

/** Stops the application's PostgreSQL under it and starts it again on the same port. */
export function restartDatabase(data: string): void {
  const args = [
    join(findPostgres() as string, 'pg_ctl'),
    '-D',
    join(data, 'postgres'),
    '-m',
    'fast',
    '-w',
    '-l',
    join(data, 'postgres/server.log'),
    'restart',
  ];
  const done = isRoot
    ? spawnSync('runuser', ['-u', 'postgres', '--', ...args], { cwd: '/', stdio: 'ignore' })
    : spawnSync(args[0], args.slice(1), { stdio: 'ignore' });
  if (done.status !== 0) throw new Error('the database did not restart');
}
