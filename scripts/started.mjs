// Starts the application as a user does, for tests and the benchmark, and tells where it answers.
import { spawn } from 'node:child_process';
import { fileURLToPath } from 'node:url';

// Not by way of `build.mjs`: bundled, that takes itself for the command and builds.
const HERE = fileURLToPath(new URL('./start.mjs', import.meta.url));

/**
 * @param args of `dimetra start`; `env` is added to the environment, in which no database from elsewhere is named; `script`
 *   is what starts it, where this is bundled with something that lies elsewhere
 * @returns its address without a slash at the end, its process, and how it is stopped as by Ctrl C
 */
export async function startApplication(args, { env = {}, quiet = false, patienceMs = 300_000, script = HERE } = {}) {
  const { DATABASE_URL: _, ...inherited } = process.env;
  const app = spawn(process.execPath, [script, ...args], {
    stdio: ['ignore', 'pipe', quiet ? 'ignore' : 'inherit'],
    env: { ...inherited, ...env },
  });
  const address = await new Promise((resolve, reject) => {
    let said = '';
    const late = setTimeout(
      () => reject(new Error(`The application did not start in time. It said: ${said}`)),
      patienceMs,
    );
    app.stdout.on('data', (part) => {
      said += part.toString();
      const found = /http:\/\/127\.0\.0\.1:\d+/.exec(said);
      if (!found) return;
      clearTimeout(late);
      resolve(found[0]);
    });
    app.on('exit', (code) => {
      clearTimeout(late);
      reject(new Error(`The application ended with ${code}. It said: ${said}`));
    });
  });
  const stop = () =>
    new Promise((resolve) => {
      if (app.exitCode !== null || app.signalCode !== null) return resolve();
      app.once('exit', () => resolve());
      app.kill('SIGINT');
    });
  return { address, app, stop };
}
