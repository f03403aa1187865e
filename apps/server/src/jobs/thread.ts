import { type Figure, ProblemError, type Slot } from '@dimetra/core';
import { connect } from '../db/client.ts';
import { convertRun } from './convert-run.ts';
import { bringImages, type ImagesAnswer } from './images.ts';
import { intake, type ArrivedFile, type IntakeAnswer } from './intake.ts';
import { learnFrom } from './learn.ts';

export type ThreadTask =
  | { kind: 'convert'; url: string; runId: string; stop: SharedArrayBuffer }
  | { kind: 'learn'; url: string; revisionId: string; name: { id: string; title: string }; withSkin: boolean }
  | { kind: 'images'; url: string; revisionId: string; files: ArrivedFile[]; owner: string; slot?: Slot }
  | { kind: 'intake'; url: string; files: ArrivedFile[]; owner: string };
/** Errors cross the thread as data, so that their code survives. */
export type ThreadAnswer =
  | { ok: true; intake?: IntakeAnswer; figure?: Figure; images?: ImagesAnswer }
  | { ok: false; problem: { code: string; message: string; where?: string } };

/** One piece of heavy work in a thread of its own, with its own connection to the database. */
export default async function work(task: ThreadTask): Promise<ThreadAnswer> {
  const connection = connect(task.url, 2);
  try {
    if (task.kind === 'intake') return { ok: true, intake: await intake(connection, task.files, task.owner) };
    if (task.kind === 'images')
      return { ok: true, images: await bringImages(connection, task.revisionId, task.files, task.owner, task.slot) };
    if (task.kind === 'learn')
      return { ok: true, figure: await learnFrom(connection, task.revisionId, task.name, task.withSkin) };
    const flag = new Int32Array(task.stop);
    await convertRun(connection, task.runId, {
      get aborted() {
        return Atomics.load(flag, 0) === 1;
      },
    });
    return { ok: true };
  } catch (error) {
    if (error instanceof ProblemError) return { ok: false, problem: error.toJSON() };
    return {
      ok: false,
      problem: { code: 'internal', message: `Something went wrong inside Dimetra: ${(error as Error).message}.` },
    };
  } finally {
    await connection.close().catch(() => {});
  }
}
