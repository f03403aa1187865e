import type { Response } from 'express';
import { Router } from 'express';
import type pg from 'pg';

/**
 * Server-sent events: what any process says with NOTIFY is passed to every page. The listening connection is made
 * again when the database restarts; pages are told to load anew, since they may have missed something.
 */
export function createEvents(pool: pg.Pool) {
  const pages = new Set<Response>();
  let closed = false;
  let client: pg.PoolClient | null = null;
  const tell = (text: string) => {
    for (const page of pages) page.write(`data: ${text}\n\n`);
  };
  const listen = async (): Promise<void> => {
    if (closed) return;
    try {
      client = await pool.connect();
      client.on('notification', (message) => tell(message.payload ?? '{}'));
      client.on('error', () => {
        client?.release(true);
        client = null;
        setTimeout(listen, 500);
      });
      await client.query('listen dimetra');
      tell(JSON.stringify({ type: 'reload' }));
    } catch {
      client = null;
      setTimeout(listen, 1000);
    }
  };
  void listen();
  const router = Router();
  router.get('/events', (request, response) => {
    response.set({ 'Content-Type': 'text/event-stream', 'Cache-Control': 'no-cache', 'X-Accel-Buffering': 'no' });
    response.flushHeaders();
    response.write(': open\n\n');
    pages.add(response);
    const alive = setInterval(() => response.write(': alive\n\n'), 20_000);
    request.on('close', () => {
      clearInterval(alive);
      pages.delete(response);
    });
  });
  return {
    router,
    announce: (event: object) => {
      pool.query('select pg_notify($1, $2)', ['dimetra', JSON.stringify(event)]).catch(() => {});
    },
    close: () => {
      closed = true;
      for (const page of pages) page.end();
      client?.release(true);
    },
  };
}
