import { ProblemError } from '@dimetra/core';
import express, { type Express } from 'express';
import type { AddressInfo } from 'node:net';
import { request as ask } from 'node:http';
import * as v from 'valibot';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { body, checkOrigin, handleErrors, idOf, notFound, pageOf, sendProblem } from './problems.ts';
import { sendPart } from './sending.ts';

const logged: unknown[] = [];
let address = '',
  close = () => {};
beforeAll(async () => {
  const app: Express = express();
  app.use(checkOrigin((host) => host === '127.0.0.1'));
  app.use(express.json({ limit: 1000 }));
  const throwing = (path: string, error: () => unknown) => {
    app.get(path, () => {
      throw error();
    });
  };
  throwing('/problem', () => new ProblemError('gltf.truncated', 'It ends early.', 'a.glb'));
  throwing('/gone', () => notFound('This character'));
  throwing('/full', () => Object.assign(new Error('no room'), { cause: { code: '53100' } }));
  throwing('/away', () => Object.assign(new Error('query failed'), { cause: new Error('connect ECONNREFUSED') }));
  throwing('/nul', () => Object.assign(new Error('query failed'), { cause: { code: '22021' } }));
  throwing('/twice', () => Object.assign(new Error('query failed'), { cause: { code: '23505' } }));
  app.get('/page', (request, response) => {
    response.json({ page: pageOf(request) });
  });
  throwing('/inside', () => new TypeError('secret of the house'));
  app.get('/started', (_request, response) => {
    response.write('half');
    sendProblem(response, { code: 'internal', message: 'x' });
  });
  app.post('/body', (request, response) => {
    response.json(body(request, v.object({ name: v.string(), at: v.object({ x: v.number() }) })));
  });
  app.get('/thing/:id', (request, response) => {
    response.json({ id: idOf(request, 'This thing') });
  });
  app.get('/long', async (_request, response) => {
    let sent = 0;
    for (; sent < 200; sent++) if (!(await sendPart(response, new Uint8Array(65_536)))) break;
    response.end();
    logged.push(`sent ${sent}`);
  });
  app.use(handleErrors((error) => logged.push(error)));
  const server = app.listen(0, '127.0.0.1');
  await new Promise((resolve) => server.once('listening', resolve));
  address = `http://127.0.0.1:${(server.address() as AddressInfo).port}`;
  close = () => {
    server.closeAllConnections();
    server.close();
  };
});
afterAll(() => close());
const get = async (path: string, init?: RequestInit) => {
  const response = await fetch(address + path, init);
  return {
    status: response.status,
    type: response.headers.get('content-type') ?? '',
    json: (await response.json()) as Record<string, unknown>,
  };
};
const post = (text: string, headers: Record<string, string> = {}) =>
  get('/body', { method: 'POST', body: text, headers: { 'content-type': 'application/json', ...headers } });

describe('problems', () => {
  it("tell the core's code, sentence and place, as RFC 9457 says", async () => {
    const { status, type, json } = await get('/problem');
    expect([status, type]).toEqual([422, expect.stringContaining('application/problem+json')]);
    expect(json).toEqual({
      type: 'urn:dimetra:gltf.truncated',
      title: 'It ends early.',
      status: 422,
      code: 'gltf.truncated',
      detail: 'It ends early.',
      where: 'a.glb',
    });
  });
  it.each([
    ['/gone', 404, 'not-found'],
    ['/full', 507, 'storage.full'],
    ['/away', 503, 'database.away'],
    ['/inside', 500, 'internal'],
  ])('%s is %i', async (path, status, code) => {
    const found = await get(path);
    expect([found.status, found.json.code]).toEqual([status, code]);
  });
  it('say nothing of what happened inside, and tell the log instead', async () => {
    logged.length = 0;
    expect(JSON.stringify((await get('/inside')).json)).not.toContain('secret');
    expect((logged[0] as Error).message).toBe('secret of the house');
  });
  it('cut off an answer that had begun: half an answer must not look whole', async () => {
    await expect(fetch(`${address}/started`).then((response) => response.text())).rejects.toThrow();
  });
});

describe('request bodies', () => {
  it('come through by their schema', async () => {
    expect((await post('{"name":"a","at":{"x":1},"more":2}')).json).toEqual({ name: 'a', at: { x: 1 } });
  });
  it.each([
    ['{"name":"a","at":{"x":"1"}}', 422, 'request.invalid', /at\.x should be/],
    ['{"name":7}', 422, 'request.invalid', /name should be/],
    ['{', 400, 'request.not-json', /not valid JSON/],
    [`{"name":"${'x'.repeat(2000)}"}`, 413, 'request.too-large', /too large/],
    ['null', 400, 'request.not-json', /./],
  ])('%s', async (text, status, code, says) => {
    const found = await post(text);
    expect([found.status, found.json.code]).toEqual([status, code]);
    expect(found.json.detail).toMatch(says);
  });
});

describe('ids in addresses', () => {
  it('must be ids', async () => {
    expect((await get('/thing/0b7e1c1e-6f0a-4a3c-9a52-5a1d2f3b4c5d')).json).toEqual({
      id: '0b7e1c1e-6f0a-4a3c-9a52-5a1d2f3b4c5d',
    });
    for (const odd of ['7', '..%2f..%2fetc', "0b7e1c1e-6f0a-4a3c-9a52-5a1d2f3b4c5d'--"])
      expect((await get(`/thing/${odd}`)).status).toBe(404);
  });
});

describe('other sites', () => {
  const port = () => new URL(address).port;
  /** fetch sets Host itself. */
  const withHost = (host: string) =>
    new Promise<number>((resolve, reject) => {
      ask({ host: '127.0.0.1', port: port(), path: '/gone', headers: { host } }, (response) => {
        response.resume();
        resolve(response.statusCode ?? 0);
      })
        .on('error', reject)
        .end();
    });
  it('are refused by the name they call us', async () => {
    expect(await withHost('evil.example')).toBe(403);
    expect(await withHost(`127.0.0.1:${port()}`)).toBe(404);
  });
  it("may read nothing back that they sent: another origin can't change anything", async () => {
    expect((await post('{"name":"a","at":{"x":1}}', { origin: 'http://evil.example' })).json.code).toBe('forbidden');
    expect((await post('{"name":"a","at":{"x":1}}', { origin: 'null' })).json.code).toBe('forbidden');
    expect((await post('{"name":"a","at":{"x":1}}', { origin: address })).status).toBe(200);
  });
});

describe('long answers', () => {
  it('stop when nobody listens any more', async () => {
    logged.length = 0;
    const stop = new AbortController(),
      response = await fetch(`${address}/long`, { signal: stop.signal });
    await response.body?.getReader().read();
    stop.abort();
    for (let i = 0; i < 100 && !logged.length; i++) await new Promise((resolve) => setTimeout(resolve, 20));
    expect(String(logged[0])).toMatch(/^sent \d+$/);
    expect(Number(String(logged[0]).slice(5))).toBeLessThan(200);
  });
  it('are whole for who reads to the end', async () => {
    expect((await (await fetch(`${address}/long`)).arrayBuffer()).byteLength).toBe(200 * 65_536);
  });
});

describe('mistakes of a client', () => {
  const send = (headers: Record<string, string>, text: string) => get('/body', { method: 'POST', headers, body: text });
  const JSON_TYPE = 'application/json';
  it.each([
    ['a stray percent sign', () => get('/thing/%zz'), 400, /damaged/],
    ['a character set of its own', () => send({ 'Content-Type': `${JSON_TYPE}; charset=klingon` }, '{}'), 415, /UTF-8/],
    ['an unknown packing', () => send({ 'Content-Type': JSON_TYPE, 'Content-Encoding': 'rot13' }, '{}'), 415, /gzip/],
    ["gzip that isn't", () => send({ 'Content-Type': JSON_TYPE, 'Content-Encoding': 'gzip' }, '{}'), 400, /damaged/],
    ['a character that no text can hold', () => get('/nul'), 422, /NUL/],
    ['the same twice at once', () => get('/twice'), 409, /this very moment/],
  ])('%s is said, and is nothing for the log', async (_, asked, status, sentence) => {
    const before = logged.length,
      answer = await asked();
    expect([answer.status, answer.type]).toEqual([status, expect.stringMatching('application/problem\\+json')]);
    expect(answer.json.title).toMatch(sentence);
    expect(logged.length).toBe(before);
  });
  it.each([
    ['', 1],
    ['?page=3', 3],
    ['?page=2.9', 2],
    ['?page=-4', 1],
    ['?page=1e308', 1_000_000],
    ['?page=x', 1],
  ])('a page “%s” is page %d', async (query, page) => expect((await get(`/page${query}`)).json).toEqual({ page }));
});
