import { parentPort } from 'node:worker_threads';
import { asideWork } from '@dimetra/core/aside';
import type { AsideAnswer, AsideQuestion } from './aside.ts';

const work = asideWork();

parentPort?.on('message', ({ id, task, given }: AsideQuestion) => {
  let said: AsideAnswer;
  try {
    said = { id, answer: work(task, given as never) };
  } catch (error) {
    said = { id, error: (error as Error).message };
  }
  parentPort?.postMessage(said);
});
