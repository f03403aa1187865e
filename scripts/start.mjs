// `dimetra start`: database, build, demo, server; Ctrl C stops all of it and nothing else.
import { spawn } from 'node:child_process';
import { homedir } from 'node:os';
import { join, resolve } from 'node:path';
import { parseArgs } from 'node:util';
import { build, root } from './build.mjs';
import { isRoot } from './debian.mjs';
import { startPostgres } from './postgres.mjs';
import { leaveFolder, noteServer, takeFolder } from './running.mjs';

let values;
try {
  ({ values } = parseArgs({
    options: {
      port: { type: 'string' },
      data: { type: 'string' },
      'no-demo': { type: 'boolean' },
      'small-demo': { type: 'boolean' },
      help: { type: 'boolean', short: 'h' },
    },
  }));
} catch (error) {
  process.stderr.write(`${error.message}\n`);
  process.exit(2);
}
if (values.help) {
  process.stdout.write(`dimetra start [--port N] [--data DIR] [--no-demo]

Starts Dimetra and prints its address. Ctrl C stops it.
  --port N     serve on this port; 4810 or a free one where not given
  --data DIR   where database and demo are kept
  --no-demo    start empty
DATABASE_URL     an existing PostgreSQL to use instead of our own
DIMETRA_KEEP_GB  what results of steps may take on disk before the oldest go, 20 where not given
`);
  process.exit(0);
}
if (values.port !== undefined && !(Number(values.port) > 0 && Number(values.port) < 65536)) {
  process.stderr.write('--port takes a number from 1 to 65535.\n');
  process.exit(2);
}
// As root the database belongs to the postgres account, which can't look into root's home.
const data = resolve(
  values.data ?? process.env.DIMETRA_DATA ?? (isRoot ? '/var/lib/dimetra' : join(homedir(), '.local/share/dimetra')),
);

build('node');
build('web');
let database = null;
try {
  // A database from elsewhere may have several servers.
  if (!process.env.DATABASE_URL) {
    await takeFolder(data);
    database = await startPostgres(data);
  }
} catch (error) {
  process.stderr.write(`${error.message}\n`);
  process.exit(5);
}
const server = spawn(process.execPath, [join(root, 'dist/node/server.js')], {
  stdio: 'inherit',
  // Its own group, so that Ctrl C reaches it through us, once, in order.
  detached: true,
  env: {
    ...process.env,
    DATABASE_URL: process.env.DATABASE_URL ?? database.url,
    DIMETRA_PORT: values.port ?? '4810',
    DIMETRA_PORT_FIXED: values.port ? '1' : '0',
    DIMETRA_DEMO: values['no-demo'] ? 'none' : values['small-demo'] ? 'small' : 'full',
    DIMETRA_CAST: join(data, 'cast'),
    DIMETRA_STORAGE: database ? data : '',
    DIMETRA_MIGRATIONS: join(root, 'apps/server/migrations'),
    DIMETRA_CLIENT: join(root, 'dist/web'),
  },
});
if (database) noteServer(data, server.pid);
// A database that died (a full disk, a killed process) is started again; server and worker wait for it.
const watch = database
  ? setInterval(() => {
      if (!database.runs()) {
        process.stderr.write('The database stopped; starting it again.\n');
        if (!database.begin())
          process.stderr.write(`It doesn't start. Its log is ${join(data, 'postgres/server.log')}.\n`);
      }
    }, 5000)
  : null;
let asked = false;
const stop = () => {
  if (asked) return;
  asked = true;
  server.kill('SIGTERM');
  setTimeout(() => server.kill('SIGKILL'), 8000).unref();
};
process.on('SIGINT', stop);
process.on('SIGTERM', stop);
process.on('SIGHUP', stop);
server.on('exit', (code) => {
  if (watch) clearInterval(watch);
  database?.stop();
  if (database) leaveFolder(data);
  process.exit(asked ? 0 : (code ?? 5));
});
