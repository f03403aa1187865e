// Installs Debian packages that are missing, where this user may.
import { spawnSync } from 'node:child_process';
import { existsSync, readdirSync } from 'node:fs';
import { join } from 'node:path';

export const isRoot = process.getuid?.() === 0;

export function install(packages, why) {
  process.stderr.write(`Installing ${packages.join(', ')}: ${why}.\n`);
  const apt = (...args) =>
    spawnSync(isRoot ? 'apt-get' : 'sudo', isRoot ? args : ['-n', 'apt-get', ...args], {
      stdio: ['ignore', 'ignore', 'inherit'],
      env: { ...process.env, DEBIAN_FRONTEND: 'noninteractive' },
    }).status === 0;
  if (
    !(
      apt('install', '-y', '--no-install-recommends', ...packages) ||
      (apt('update') && apt('install', '-y', '--no-install-recommends', ...packages))
    )
  ) {
    process.stderr.write(
      `${packages.join(', ')} could not be installed. Install by hand (apt-get install ${packages.join(' ')}) and start again.\n`,
    );
    process.exit(5);
  }
}

/** Folder with initdb and pg_ctl of the newest PostgreSQL, or null. */
export function findPostgres() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return null;
  const found = readdirSync(base)
    .map(Number)
    .filter(Boolean)
    .sort((a, b) => b - a)
    .map((v) => join(base, String(v), 'bin'))
    .find((bin) => existsSync(join(bin, 'pg_ctl')));
  return found ?? null;
}

export function findChromium() {
  return ['/usr/bin/chromium', '/usr/bin/chromium-browser'].find((path) => existsSync(path)) ?? null;
}
