import { createHash } from 'node:crypto';

/** SHA-256, lower-case hex. */
export const sha256 = (bytes: Uint8Array): string => createHash('sha256').update(bytes).digest('hex');
