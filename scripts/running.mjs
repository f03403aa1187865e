// Who uses a data folder now. A start that was killed outright leaves its server and database behind: the next one ends
// the server and takes the database over.
import { spawnSync } from 'node:child_process';
import { existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

const noteIn = (folder) => join(folder, 'running.json');

/** Whether a process lives and is what we took it for: numbers are given out again. */
function lives(pid, what) {
  return Number.isInteger(pid) && pid > 1 && commandOf(pid).includes(what);
}

/** How a process was called; nothing where there is none. A bare Debian has no ps. */
function commandOf(pid) {
  if (!existsSync('/proc/self/cmdline'))
    return spawnSync('ps', ['-o', 'args=', '-p', String(pid)], { encoding: 'utf8' }).stdout ?? '';
  try {
    return readFileSync(`/proc/${pid}/cmdline`, 'utf8');
  } catch {
    return '';
  }
}
const wait = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

/**
 * Makes the folder ours, and ends the server that a killed start left behind.
 * @throws Error where another start uses it now
 */
export async function takeFolder(folder) {
  mkdirSync(folder, { recursive: true });
  const file = noteIn(folder);
  let before = {};
  try {
    if (existsSync(file)) before = JSON.parse(readFileSync(file, 'utf8')) ?? {};
  } catch {
    // A note that was cut off says nothing.
  }
  if (before.start !== process.pid && lives(before.start, 'start.mjs'))
    throw new Error(
      `Another Dimetra (process ${before.start}) uses ${folder}. Stop it with Ctrl C, or give --data another folder.`,
    );
  if (lives(before.server, 'server.js')) {
    process.stderr.write('The last start was killed; ending the server it left behind.\n');
    process.kill(before.server, 'SIGTERM');
    for (let i = 0; i < 80 && lives(before.server, 'server.js'); i++) await wait(100);
    if (lives(before.server, 'server.js')) process.kill(before.server, 'SIGKILL');
  }
  writeFileSync(file, JSON.stringify({ start: process.pid }));
}

export const noteServer = (folder, server) =>
  writeFileSync(noteIn(folder), JSON.stringify({ start: process.pid, server }));

export const leaveFolder = (folder) => rmSync(noteIn(folder), { force: true });
