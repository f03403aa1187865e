import type { RequestHandler } from 'express';
import compression from 'compression';

/** Text that shrinks. Streams of pieces and of events are sent as they come, and images are packed already. */
const TEXT = /^(text\/(html|css|javascript|plain)|application\/(json|javascript|manifest\+json)|image\/svg\+xml)/;

/** Sends scripts, styles and manifests in a third of their bytes to whoever understands that. */
export const compressed = (): RequestHandler =>
  compression({
    threshold: 2048,
    filter: (_request, response) => TEXT.test(String(response.getHeader('Content-Type'))),
  });
