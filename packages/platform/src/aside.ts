import { existsSync } from 'node:fs';
import { availableParallelism } from 'node:os';
import { fileURLToPath } from 'node:url';
import { Worker } from 'node:worker_threads';
import type { Aside, AsideTasks } from '@dimetra/core';

/** Heap of the second thread: a measurement of a million triangles takes a fifth of it. */
const LIMITS = { maxOldGenerationSizeMb: 2048, maxYoungGenerationSizeMb: 8 };

export interface AsideQuestion {
  id: number;
  task: keyof AsideTasks;
  given: unknown;
}
export type AsideAnswer = { id: number; answer: unknown } | { id: number; error: string };

/** Its program: beside this module, or above it where the bundler put it into a folder of its own. */
const programs = (): string[] =>
  ['aside.js', '../aside.js'].map((file) => fileURLToPath(new URL(file, import.meta.url)));

/** As many as there are, or fewer where a batch has work for the others. */
const coresForUs = (): number => Number(process.env.DIMETRA_CORES) || availableParallelism();

/**
 * A second thread for one measurement; null where there is no second core, or where its program isn't built (tests of
 * single functions).
 */
export function startAside(file = programs().find(existsSync), cores = coresForUs()): Aside | null {
  return file !== undefined && cores > 1 && existsSync(file) ? new AsideThread(file) : null;
}

class AsideThread implements Aside {
  private readonly worker: Worker;
  private readonly open = new Map<number, { resolve(answer: never): void; reject(error: Error): void }>();
  private asked = 0;
  private failed: Error | null = null;

  constructor(file: string) {
    this.worker = new Worker(file, { resourceLimits: LIMITS });
    this.worker.on('message', (said: AsideAnswer) => {
      const waiting = this.open.get(said.id);
      this.open.delete(said.id);
      if ('error' in said) waiting?.reject(new Error(said.error));
      else waiting?.resolve(said.answer as never);
    });
    this.worker.on('error', (error) => this.end(error));
    this.worker.on('exit', () => this.end(new Error('the second thread of the measurement ended')));
  }

  ask<K extends keyof AsideTasks>(task: K, given: AsideTasks[K]['given']): Promise<AsideTasks[K]['answer']> {
    const answer = new Promise<AsideTasks[K]['answer']>((resolve, reject) => {
      if (this.failed) return reject(this.failed);
      const id = this.asked++;
      this.open.set(id, { resolve, reject });
      this.worker.postMessage({ id, task, given } satisfies AsideQuestion);
    });
    // Whoever doesn't wait for an answer hears of what went wrong with the next one.
    answer.catch(() => {});
    return answer;
  }

  shared = (length: number): Float32Array<SharedArrayBuffer> => new Float32Array(new SharedArrayBuffer(length * 4));

  async close(): Promise<void> {
    this.failed ??= new Error('the measurement is over');
    this.open.clear();
    await this.worker.terminate();
  }

  private end(error: Error): void {
    this.failed ??= error;
    for (const { reject } of this.open.values()) reject(this.failed);
    this.open.clear();
  }
}
