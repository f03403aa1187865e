import { existsSync } from 'node:fs';
import { join } from 'node:path';
import { ProblemError } from '@dimetra/core';
import express, { type Express } from 'express';
import helmet from 'helmet';
import PgBoss from 'pg-boss';
import pino from 'pino';
import { Piscina } from 'piscina';
import { BlobStore } from './blobs/store.ts';
import { connect, type Connection } from './db/client.ts';
import { characterRoutes } from './http/characters.ts';
import { compressed } from './http/compressed.ts';
import { heldToContract } from './http/answers.ts';
import { conversionRoutes } from './http/conversions.ts';
import { figureRoutes, type LearnFigure } from './http/figures.ts';
import { treatmentRoutes } from './http/treatments.ts';
import { createEvents } from './http/events.ts';
import { type BringImages, imageRoutes } from './http/images.ts';
import { openApi } from './http/openapi.ts';
import { pieceRoutes } from './http/pieces.ts';
import { recipeRoutes } from './http/recipes.ts';
import { runRoutes } from './http/runs.ts';
import { sourceRoutes } from './http/sources.ts';
import { targetRoutes } from './http/targets.ts';
import type { UploadLimits } from './http/uploads.ts';
import { checkOrigin, handleErrors, sendProblem } from './http/problems.ts';
import type { ReadFiles } from './demo.ts';
import type { ThreadAnswer, ThreadTask } from './jobs/thread.ts';
import { outOfMemory, QUEUE, THREAD_LIMITS } from './jobs/worker.ts';

export interface AppOptions {
  url: string;
  /** Folder of the built client. */
  client: string;
  threadFile: string;
  /** Host names that may be asked for; loopback names where not given. */
  hosts?: string[];
  limits?: UploadLimits;
}

/** A failed query carries its parameters, which may be megabytes of somebody's file: they don't belong in a log. */
function briefError(error: Error & { code?: string }): object {
  const { cause } = error as { cause?: Error & { code?: string } };
  return {
    type: error.name,
    message: error.message.replace(/\nparams:[\s\S]*/, '').slice(0, 600),
    code: error.code ?? cause?.code,
    cause: cause?.message?.slice(0, 300),
    stack: error.stack
      ?.split('\n')
      .filter((line) => line.startsWith('    at '))
      .slice(0, 8)
      .join('\n'),
  };
}

const DEFAULT_LIMITS: UploadLimits = { totalBytes: 1536 * 1024 ** 2, files: 2000 };

export async function createApp(options: AppOptions): Promise<{
  app: Express;
  connection: Connection;
  announce(event: object): void;
  read: ReadFiles;
  /** Puts a run where workers take it. */
  queue(runId: string): Promise<void>;
  close(): Promise<void>;
}> {
  const log = pino({ level: process.env.DIMETRA_LOG ?? 'warn', serializers: { err: briefError } }, pino.destination(2));
  const connection = connect(options.url);
  const blobs = new BlobStore(connection.db);
  const boss = new PgBoss({ connectionString: options.url, max: 2 });
  boss.on('error', (error) => log.warn(error.message));
  await boss.start();
  await boss.createQueue(QUEUE);
  const threads = new Piscina({
    filename: options.threadFile,
    minThreads: 0,
    maxThreads: 2,
    idleTimeout: 30_000,
    resourceLimits: THREAD_LIMITS,
  });
  const read: ReadFiles = async (files, owner) => {
    const answer = (await threads
      .run({ kind: 'intake', url: options.url, files, owner } satisfies ThreadTask)
      .catch((error: unknown) => {
        if (outOfMemory(error))
          throw new ProblemError(
            'intake.memory',
            "What arrived needs more memory than one character is given. Send its parts apart, or leave out what it doesn't need.",
          );
        throw error;
      })) as ThreadAnswer;
    if (!answer.ok) throw new ProblemError(answer.problem.code, answer.problem.message, answer.problem.where);
    return answer.intake as NonNullable<typeof answer.intake>;
  };
  const learn: LearnFigure = async (revisionId, name, withSkin) => {
    const answer = (await threads.run({
      kind: 'learn',
      url: options.url,
      revisionId,
      name,
      withSkin,
    } satisfies ThreadTask)) as ThreadAnswer;
    if (!answer.ok) throw new ProblemError(answer.problem.code, answer.problem.message, answer.problem.where);
    return answer.figure as NonNullable<typeof answer.figure>;
  };
  const images: BringImages = async (revisionId, files, owner, slot) => {
    const answer = (await threads.run({
      kind: 'images',
      url: options.url,
      revisionId,
      files,
      owner,
      slot,
    } satisfies ThreadTask)) as ThreadAnswer;
    if (!answer.ok) throw new ProblemError(answer.problem.code, answer.problem.message, answer.problem.where);
    return answer.images as NonNullable<typeof answer.images>;
  };
  const events = createEvents(connection.pool);
  const app = express();
  const hosts = new Set(options.hosts ?? ['127.0.0.1', 'localhost', '[::1]']);
  app.disable('x-powered-by');
  app.use(checkOrigin((host) => hosts.has(host)));
  app.use(
    helmet({
      contentSecurityPolicy: {
        useDefaults: false,
        directives: {
          defaultSrc: ["'self'"],
          scriptSrc: ["'self'", "'wasm-unsafe-eval'"],
          workerSrc: ["'self'", 'blob:'],
          styleSrc: ["'self'", "'unsafe-inline'"],
          imgSrc: ["'self'", 'blob:', 'data:'],
          connectSrc: ["'self'", 'blob:'],
          fontSrc: ["'self'", 'data:'],
          objectSrc: ["'none'"],
          frameAncestors: ["'self'"],
          baseUri: ["'self'"],
          formAction: ["'self'"],
        },
      },
      strictTransportSecurity: false,
      crossOriginEmbedderPolicy: false,
      xFrameOptions: { action: 'sameorigin' },
    }),
  );
  app.use(compressed());
  const api = express.Router();
  api.use(events.router);
  if (process.env.DIMETRA_HOLD_CONTRACT) api.use(heldToContract);
  api.use(express.json({ limit: '4mb' }));
  api.get('/health', async (_request, response) => {
    try {
      await connection.pool.query('select 1');
      response.json({ ok: true });
    } catch {
      response.status(503).json({ ok: false, message: 'The database does not answer. It may be starting.' });
    }
  });
  api.get('/openapi.json', (_request, response) => {
    response.json(openApi());
  });
  api.use(characterRoutes(connection, blobs, read, options.limits ?? DEFAULT_LIMITS, events.announce));
  api.use(imageRoutes(connection, blobs, images, options.limits ?? DEFAULT_LIMITS, events.announce));
  api.use(sourceRoutes(connection, blobs, read, options.limits ?? DEFAULT_LIMITS, events.announce));
  api.use(targetRoutes(connection, events.announce));
  const queue = async (runId: string) => {
    await boss.send(QUEUE, { runId }, { retryLimit: 3, retryDelay: 2, expireInSeconds: 6 * 3600 });
  };
  api.use(conversionRoutes(connection, queue, events.announce));
  api.use(runRoutes(connection, blobs, events.announce));
  api.use(figureRoutes(connection, blobs, learn, options.limits ?? DEFAULT_LIMITS, events.announce));
  api.use(treatmentRoutes(connection, events.announce));
  api.use(recipeRoutes(connection, events.announce));
  api.use(pieceRoutes(blobs));
  api.use((request, response) =>
    sendProblem(response, { code: 'not-found', message: `There is no ${request.method} ${request.path} here.` }),
  );
  app.use('/api/v1', api);
  if (existsSync(options.client)) {
    app.use(
      express.static(options.client, {
        index: false,
        setHeaders: (response, path) => {
          if (path.includes('/assets/')) response.setHeader('Cache-Control', 'public, max-age=31536000, immutable');
          // The transcoder of packed maps makes code from text; it runs in a worker of its own, which can reach nothing.
          if (/\/ktx2\.worker-[^/]*\.js$/.test(path))
            response.setHeader('Content-Security-Policy', "default-src 'none'; script-src 'self' 'unsafe-eval'");
        },
      }),
    );
    app.get('/{*path}', (_request, response) => {
      response.set('Cache-Control', 'no-cache').sendFile(join(options.client, 'index.html'));
    });
  }
  app.use(handleErrors((error) => log.error(error)));
  return {
    app,
    connection,
    announce: events.announce,
    read,
    queue,
    async close() {
      events.close();
      await boss.stop({ graceful: false, timeout: 500 }).catch(() => {});
      await threads.destroy();
      await connection.close().catch(() => {});
    },
  };
}
