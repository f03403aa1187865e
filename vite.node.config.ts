import { defineConfig } from 'vite';
import { stepCodeDefine } from './scripts/step-code.mjs';

/** Server, worker, command line and cast generator, bundled for Node; packages from the registry stay outside. */
export default defineConfig({
  define: stepCodeDefine(),
  build: {
    ssr: true, outDir: 'dist/node', target: 'node20', emptyOutDir: true,
    rolldownOptions: { input: { cli: 'apps/cli/src/main.ts', aside: 'packages/platform/src/aside-thread.ts', 'make-cast': 'packages/cast/src/main.ts', server: 'apps/server/src/main.ts', worker: 'apps/server/src/worker-main.ts', thread: 'apps/server/src/jobs/thread.ts', bench: 'bench/main.ts' } },
  },
  ssr: { noExternal: [/^@dimetra\//] },
});
