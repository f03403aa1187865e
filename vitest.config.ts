import { availableParallelism } from 'node:os';
import { defineConfig } from 'vitest/config';
import { stepCodeDefine } from './scripts/step-code.mjs';

// By itself the runner leaves one core to itself, which on two of them halves the speed.
const WORKERS = Math.max(1, Math.min(4, availableParallelism()));
// Much is made and soon let go of: a larger nursery saves a tenth of the time.
const ROOM = ['--max-semi-space-size=64'];

// `dimetra test` bundles most tests first (scripts/bundle-tests.mjs); alone, files are run as they stand.
const BUNDLES = process.env.DIMETRA_BUNDLED_TESTS === '1',
  SOURCES = ['packages/{contract,eyes,platform}/**/*.test.ts', 'apps/{server,web}/**/*.test.ts'],
  UNIT = BUNDLES ? ['dist/tests/**/*.test.js', ...SOURCES] : ['packages/**/*.test.ts', 'apps/{cli,server,web}/**/*.test.ts'];

// Only what hangs is to run into these: on four times slower machines what takes half a minute takes minutes.
const HANGS = 900_000;

export default defineConfig({
  test: {
    projects: [
      { define: stepCodeDefine(), test: { name: 'unit', include: UNIT, exclude: ['**/node_modules/**'], server: { deps: { external: [/dist\/tests\/chunks/] } }, testTimeout: HANGS, hookTimeout: HANGS, maxWorkers: WORKERS, isolate: false, execArgv: ROOM } },
      // The real application, one after the other: they share one database and one browser.
      { define: stepCodeDefine(), test: { name: 'e2e', include: ['tests/**/*.test.ts'], testTimeout: HANGS, hookTimeout: HANGS, fileParallelism: false, globalSetup: ['tests/e2e/application.ts'] } },
    ],
  },
});
