import { defineConfig } from 'vitest/config';

export default defineConfig({
  test: {
    projects: [
      { test: { name: 'unit', include: ['packages/**/*.test.ts', 'apps/cli/**/*.test.ts', 'apps/server/**/*.test.ts', 'apps/web/**/*.test.ts'], testTimeout: 60_000 } },
      // The real application, one after the other: they share one database and one browser.
      { test: { name: 'e2e', include: ['tests/**/*.test.ts'], testTimeout: 240_000, hookTimeout: 400_000, fileParallelism: false, globalSetup: ['tests/e2e/application.ts'] } },
    ],
  },
});
