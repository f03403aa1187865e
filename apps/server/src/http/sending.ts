import { once } from 'node:events';
import type { Response } from 'express';

/** Writes and waits while the reader is behind, so that a slow page doesn't fill this process's memory. False once it has gone. */
export async function sendPart(response: Response, part: Uint8Array): Promise<boolean> {
  if (response.destroyed) return false;
  if (response.write(part)) return true;
  const stop = new AbortController();
  const settled = await Promise.race([
    once(response, 'drain', { signal: stop.signal }).then(
      () => true,
      () => false,
    ),
    once(response, 'close', { signal: stop.signal }).then(
      () => false,
      () => false,
    ),
  ]);
  stop.abort();
  return settled;
}
