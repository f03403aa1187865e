import { createHash } from 'node:crypto';
import type { StepContext } from '../step.ts';

/** A context for tests: images are read as one grey pixel, hashes are real. */
export function testContext(): StepContext {
  return {
    progress() {},
    log() {},
    hash: (bytes) => createHash('sha256').update(bytes).digest('hex'),
    images: {
      decode: async () => ({ width: 1, height: 1, data: new Uint8Array([128, 128, 128, 255]) }),
      apply: async (bytes) => ({ bytes, mimeType: 'image/png' }),
    },
  };
}
