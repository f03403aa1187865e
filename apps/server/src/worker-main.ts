import { hostname } from 'node:os';
import { fileURLToPath } from 'node:url';
import { parseArgs } from 'node:util';
import { outliveConnectionLoss } from './db/client.ts';
import { NotThisProgram } from './db/workers.ts';
import { startWorker } from './jobs/worker.ts';

const HELP = `dimetra worker --database URL

Takes runs from the queue of another Dimetra's database and carries them out here, until Ctrl C. Several on several
machines share the work; what one was at when it was lost, another takes up. The same version as the server's.
  --database URL   PostgreSQL of the server; DATABASE_URL where not given
  --threads N      runs at once, 2 where not given
  --memory MB      that one run may take, 4096 where not given
  --name NAME      what it is called where workers are listed; the machine's name where not given
Exit codes: 2 what was asked for makes no sense, 5 the database can't be reached, 6 another version.
`;

/** `dimetra worker`: takes runs from the queue of a database. */
outliveConnectionLoss();
const fail = (code: number, text: string): never => {
  process.stderr.write(`${text}\n`);
  process.exit(code);
};
const given = (() => {
  try {
    return parseArgs({
      options: {
        database: { type: 'string' },
        threads: { type: 'string' },
        memory: { type: 'string' },
        name: { type: 'string' },
        help: { type: 'boolean', short: 'h' },
      },
    }).values;
  } catch (error) {
    return fail(2, (error as Error).message);
  }
})();
if (given.help) {
  process.stdout.write(HELP);
  process.exit(0);
}
const url = given.database ?? process.env.DATABASE_URL ?? fail(2, HELP);
/** A whole number of an option within bounds. */
const numberOf = (option: 'threads' | 'memory', otherwise: number, least: number, most: number): number => {
  const text = given[option],
    value = text === undefined ? otherwise : Number(text);
  return Number.isInteger(value) && value >= least && value <= most
    ? value
    : fail(2, `--${option} takes a whole number from ${least} to ${most}; “${text}” is none.`);
};
const threads = numberOf('threads', Number(process.env.DIMETRA_THREADS ?? 2), 1, 64),
  memoryMb = numberOf('memory', 4096, 512, 262_144);

let stop: () => Promise<void>;
const end = (code = 0) => {
  stop().finally(() => process.exit(code));
};
try {
  stop = await startWorker({
    url,
    name: given.name?.slice(0, 80) || hostname(),
    threads,
    memoryMb,
    threadFile: fileURLToPath(new URL('./thread.js', import.meta.url)),
    onRefused(reason) {
      process.stderr.write(`${reason}\n`);
      end(6);
    },
  });
} catch (error) {
  if (error instanceof NotThisProgram) fail(6, error.message);
  fail(5, `The database can't be reached: ${(error as Error).message}. Look whether it runs and lets this machine in.`);
}
process.on('SIGTERM', () => end());
process.on('SIGINT', () => end());
// Started by the server: when that is gone, so are we.
if (process.send) process.on('disconnect', () => end());
else
  process.stdout.write(
    `Taking runs of that database, ${threads} at once, as “${given.name || hostname()}”. Ctrl C ends it.\n`,
  );
