import { routeFor } from '@dimetra/contract';
import type { RequestHandler } from 'express';
import * as v from 'valibot';

/** Says where an answer is not what the contract says of it; null where it is. */
export function breach(method: string, path: string, status: number, answer: unknown): string | null {
  const route = routeFor(method, path);
  if (!route) return `${method} ${path} is in no contract`;
  if (status >= 400 && !route.status?.includes(status)) return null;
  if (!(route.status ?? [200]).includes(status)) return `${method} ${path} answers ${status}`;
  if (route.answer === null || typeof route.answer === 'string') return `${method} ${path} answers JSON`;
  // As it goes over the line: dates become text, what is undefined goes.
  const parsed = v.safeParse(route.answer, JSON.parse(JSON.stringify(answer)));
  if (parsed.success) return null;
  const [issue] = parsed.issues;
  return `${method} ${path}: ${issue.path?.map((item) => String(item.key)).join('.') ?? ''} ${issue.message}`;
}

/** While tests run, an answer that is not what the contract says fails its request, and whoever waits for it. */
export const heldToContract: RequestHandler = (request, response, next) => {
  const send = response.json.bind(response);
  response.json = (answer) => {
    const wrong = breach(request.method, request.path, response.statusCode, answer);
    if (!wrong) return send(answer);
    response.status(500);
    return send({ title: `Not what was agreed: ${wrong}`, code: 'contract.breach' });
  };
  next();
};
