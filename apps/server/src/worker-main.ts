import { fileURLToPath } from 'node:url';
import { outliveConnectionLoss } from './db/client.ts';
import { startWorker } from './jobs/worker.ts';

/** `dimetra worker`: takes runs from the queue of DATABASE_URL. */
outliveConnectionLoss();
const at = process.argv.indexOf('--database');
const url = at > 0 ? process.argv[at + 1] : process.env.DATABASE_URL;
if (!url) {
  process.stderr.write('dimetra worker --database URL\n');
  process.exit(2);
}
const stop = await startWorker({
  url,
  threads: Number(process.env.DIMETRA_THREADS ?? 2),
  threadFile: fileURLToPath(new URL('./thread.js', import.meta.url)),
});
const end = () => {
  stop().finally(() => process.exit(0));
};
process.on('SIGTERM', end);
process.on('SIGINT', end);
// Started by the server: when that is gone, so are we.
if (process.send) process.on('disconnect', end);
