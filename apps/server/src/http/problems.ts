import { ProblemError } from '@dimetra/core';
import type { ErrorRequestHandler, Request, RequestHandler, Response } from 'express';
import * as v from 'valibot';

const STATUS: Record<string, number> = {
  'not-found': 404,
  conflict: 409,
  'upload.too-large': 413,
  'upload.too-many': 413,
  'upload.none': 400,
  forbidden: 403,
  busy: 429,
  'storage.full': 507,
};

/** problem+json (RFC 9457) with the code of the core's error. */
export function sendProblem(
  response: Response,
  problem: { code: string; message: string; where?: string },
  status = STATUS[problem.code] ?? 422,
): void {
  if (response.headersSent) {
    response.destroy();
    return;
  }
  response
    .status(status)
    .type('application/problem+json')
    .send(
      JSON.stringify({
        type: `urn:dimetra:${problem.code}`,
        title: problem.message,
        status,
        code: problem.code,
        detail: problem.message,
        where: problem.where,
      }),
    );
}

/** What the server's framework and the database say of a request that they refuse. */
interface Refused {
  type?: string;
  status?: number;
  cause?: { code?: string };
}

/** Refusals by the kind that the framework's body reader names. */
const BY_TYPE: Readonly<Record<string, { code: string; message: string; status: number }>> = {
  'entity.too.large': { code: 'request.too-large', message: 'The request is too large.', status: 413 },
  'entity.parse.failed': { code: 'request.not-json', message: 'The request is not valid JSON.', status: 400 },
  'charset.unsupported': {
    code: 'request.charset',
    message: 'The request is written in a character set that is not read here. Send it as UTF-8.',
    status: 415,
  },
  'encoding.unsupported': {
    code: 'request.encoding',
    message: 'The request is packed in a way that is not read here. Send it plain, or as gzip, deflate or br.',
    status: 415,
  },
};

/** Refusals by PostgreSQL's code (appendix A of its manual). */
const BY_DATABASE: Readonly<Record<string, { code: string; message: string; status: number }>> = {
  '22021': { code: 'request.invalid', message: "The request holds a character that can't be kept (NUL).", status: 422 },
  '22P05': { code: 'request.invalid', message: "The request holds a character that can't be kept (NUL).", status: 422 },
  '22003': { code: 'request.invalid', message: 'A number in the request is too large.', status: 422 },
  '23505': {
    code: 'conflict',
    message: 'The same was made at this very moment by another request. Look at what is there now, and try again.',
    status: 409,
  },
};

/** Says what is wrong with a request, where it is the request that is wrong; null where the fault is ours. */
function clientMistake({ type, status, cause }: Refused): { code: string; message: string; status: number } | null {
  const known = BY_TYPE[type ?? ''] ?? BY_DATABASE[cause?.code ?? ''];
  if (known) return known;
  if (status === undefined || status < 400 || status > 499) return null;
  return {
    code: 'request.unreadable',
    message: "The request can't be read: its address or its body is damaged. Send it again.",
    status,
  };
}

export const handleErrors =
  (log: (error: unknown) => void): ErrorRequestHandler =>
  (error, _request, response, _next) => {
    if (error instanceof ProblemError) {
      sendProblem(response, error);
      return;
    }
    const mistake = clientMistake(error as Refused);
    if (mistake) {
      sendProblem(response, mistake, mistake.status);
      return;
    }
    log(error);
    // 53100 is PostgreSQL's disk_full, of a database whose disk we can't look at.
    if ((error as { cause?: { code?: string } }).cause?.code === '53100') {
      sendProblem(response, {
        code: 'storage.full',
        message: 'The disk under the database is full. Nothing was changed; free some space and try again.',
      });
      return;
    }
    const away = /ECONNREFUSED|terminated|57P0/.test(
      `${(error as Error).message} ${(error as { cause?: Error }).cause?.message ?? ''} ${(error as { cause?: { code?: string } }).cause?.code ?? ''}`,
    );
    sendProblem(
      response,
      away
        ? {
            code: 'database.away',
            message: 'The database is not answering just now. Nothing is lost; try again in a moment.',
          }
        : { code: 'internal', message: 'Something went wrong inside Dimetra. The log of the server says what.' },
      away ? 503 : 500,
    );
  };

/** A request body by its schema. @throws ProblemError request.invalid, naming the field */
export function body<S extends v.GenericSchema>(request: Request, schema: S): v.InferOutput<S> {
  const parsed = v.safeParse(schema, request.body);
  if (parsed.success) return parsed.output;
  const issue = parsed.issues[0];
  const path = issue.path?.map((item) => String(item.key)).join('.') ?? 'the body';
  throw new ProblemError(
    'request.invalid',
    `${path} should be ${issue.expected ?? issue.message}, and is ${issue.received}.`,
    path,
  );
}

export const notFound = (what: string): ProblemError =>
  new ProblemError('not-found', `${what} is not here any more. Go back to the list.`);

const UUID = /^[0-9a-f]{8}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{4}-[0-9a-f]{12}$/;
/** A path parameter that must be an id. */
export function idOf(request: Request, what: string, name = 'id'): string {
  const value = String(request.params[name]);
  if (!UUID.test(value)) throw notFound(what);
  return value;
}

/** Only this machine's own pages may change things: guards against other sites and rebound names. */
export const checkOrigin =
  (allowed: (host: string) => boolean): RequestHandler =>
  (request, response, next) => {
    const host = request.headers.host ?? '';
    if (!allowed(host.replace(/:\d+$/, ''))) {
      sendProblem(response, { code: 'forbidden', message: 'This address is not served here.' });
      return;
    }
    const { origin } = request.headers;
    if (origin && request.method !== 'GET' && request.method !== 'HEAD') {
      let name = '';
      try {
        name = new URL(origin).host;
      } catch {
        /* an unreadable origin is another origin */
      }
      if (name !== host) {
        sendProblem(response, { code: 'forbidden', message: 'The request came from another site.' });
        return;
      }
    }
    next();
  };

/** Pages beyond this are empty in any case, and their offset would be no number that a database takes. */
const LAST_PAGE = 1_000_000;

/** The page that a request asks for, from 1; the first where it says nothing that is one. */
export const pageOf = ({ query }: Request): number =>
  Math.min(LAST_PAGE, Math.max(1, Math.trunc(Number(query.page)) || 1));
