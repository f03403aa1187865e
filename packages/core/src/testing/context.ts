import { createHash } from 'node:crypto';
import type { StepContext } from '../step.ts';

/** A context for tests: images are read as two greys, hashes are real. */
export function testContext(): StepContext {
  return {
    progress() {},
    log() {},
    hash: (bytes) => createHash('sha256').update(bytes).digest('hex'),
    images: {
      decode: async () => ({ width: 2, height: 1, data: new Uint8Array([127, 127, 127, 255, 129, 129, 129, 255]) }),
      apply: async (bytes) => ({ bytes, mimeType: 'image/png' }),
    },
  };
}
