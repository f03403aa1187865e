import react from '@vitejs/plugin-react';
import { defineConfig } from 'vite';

export default defineConfig({
  plugins: [react()],
  build: { outDir: '../../dist/web', emptyOutDir: true, target: 'es2022', chunkSizeWarningLimit: 1500 },
  worker: { format: 'es' },
  server: { proxy: { '/api': 'http://127.0.0.1:4810' } },
});
