import { fork, type ChildProcess } from 'node:child_process';
import { createServer } from 'node:http';
import { fileURLToPath } from 'node:url';
import PgBoss from 'pg-boss';
import { createApp } from './app.ts';
import { connect, migrateDatabase, NewerSchemaError, outliveConnectionLoss } from './db/client.ts';
import { demoUnfinished, seedDemo, seedOthers, seedProduction } from './demo.ts';
import { stampProgram } from './db/workers.ts';
import { programStamp } from './jobs/program.ts';
import { QUEUE } from './jobs/worker.ts';

/** The server: migrates, seeds, serves, and keeps one worker process alive beside it. Settings come as environment variables from `dimetra start`. */
outliveConnectionLoss();
const url = process.env.DATABASE_URL;
if (!url) throw new Error('server: expected DATABASE_URL');
const here = (file: string) => fileURLToPath(new URL(file, import.meta.url));
const say = (text: string) => process.stdout.write(`${text}\n`);

const connection = connect(url, 2);
try {
  await migrateDatabase(connection, process.env.DIMETRA_MIGRATIONS ?? here('../../apps/server/migrations'));
} catch (error) {
  if (!(error instanceof NewerSchemaError)) throw error;
  process.stderr.write(`${error.message}\n`);
  process.exit(6);
}
await stampProgram(connection.db, programStamp());
await seedProduction(connection);
let fresh = false;
const demo = {
  folder: process.env.DIMETRA_CAST ?? here('../../.dimetra/cast'),
  generator: here('./make-cast.js'),
  small: process.env.DIMETRA_DEMO === 'small',
  say,
};
if (process.env.DIMETRA_DEMO !== 'none') {
  const boss = new PgBoss({ connectionString: url, max: 1 });
  boss.on('error', () => {});
  await boss.start();
  await boss.createQueue(QUEUE);
  fresh = (await seedDemo(connection, boss, demo)) || demoUnfinished(demo.folder);
  await boss.stop({ graceful: false, timeout: 500 });
}
await connection.close();

const {
  app,
  close,
  connection: serving,
  announce,
  read,
  queue,
} = await createApp({ url, client: process.env.DIMETRA_CLIENT ?? here('../web'), threadFile: here('./thread.js') });
const server = createServer(app);
const wanted = Number(process.env.DIMETRA_PORT ?? 0);
await new Promise<void>((resolve, reject) => {
  server.once('error', (error: NodeJS.ErrnoException) => {
    // The usual port may be taken by another Dimetra; a port asked for by name is not changed silently.
    if (error.code === 'EADDRINUSE' && process.env.DIMETRA_PORT_FIXED !== '1') server.listen(0, '127.0.0.1', resolve);
    else reject(new Error(`Port ${wanted} can't be used: ${error.message}. Choose another with --port.`));
  });
  server.listen(wanted, '127.0.0.1', resolve);
});

let stopping = false;
let worker: ChildProcess | null = null;
const SOON_MS = 1000,
  LATE_MS = 60_000;
let wait = SOON_MS;
const startWorkerProcess = () => {
  const started = Date.now();
  worker = fork(here('./worker.js'), [], { stdio: ['ignore', 'inherit', 'inherit', 'ipc'] });
  worker.on('exit', (code) => {
    if (stopping) return;
    // One that dies at once will die again: it is tried less and less often, and that is said.
    wait = Date.now() - started > 10_000 ? SOON_MS : Math.min(LATE_MS, wait * 2);
    if (wait > 8 * SOON_MS)
      say(`The worker ended with ${code ?? 'a signal'} right after its start, and is tried again in ${wait / 1000} s.`);
    setTimeout(() => stopping || startWorkerProcess(), wait);
  });
  if (process.env.DIMETRA_WORKER_PIDFILE && worker.pid)
    import('node:fs').then((fs) => fs.writeFileSync(process.env.DIMETRA_WORKER_PIDFILE as string, String(worker?.pid)));
};
if (process.env.DIMETRA_WORKER !== 'none') startWorkerProcess();

const address = server.address() as { port: number };
say(`Dimetra is at http://127.0.0.1:${address.port}/`);

// The rest of the cast is made while the first is looked at; removed ones don't come back, as only a new database is filled.
if (fresh) void seedOthers(serving, demo, read, announce, () => stopping, queue);

const stop = () => {
  if (stopping) return;
  stopping = true;
  worker?.kill('SIGTERM');
  server.closeAllConnections();
  server.close();
  close().finally(() => process.exit(0));
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
