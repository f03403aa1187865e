import { afterEach, beforeEach, expect, it, vi } from 'vitest';

const MEGABYTE = 1024 ** 2;
let asked: string[][], shelf: Map<string, Uint8Array>, sizeOf: (hash: string) => number;

/** A server that has every piece: as many megabytes as its name begins with, filled with its last letter. */
function answer(_: string, { body }: { body: string }): Response {
  const { hashes } = JSON.parse(body) as { hashes: string[] };
  asked.push(hashes);
  const parts = hashes.flatMap((hash) => {
    const bytes = hash.startsWith('gone') ? null : new Uint8Array(sizeOf(hash)).fill(hash.charCodeAt(hash.length - 1)),
      length = new Uint8Array(4);
    new DataView(length.buffer).setUint32(0, bytes?.length ?? 0xffffffff, true);
    return bytes ? [length, bytes] : [length];
  });
  return new Response(new Blob(parts));
}
const diskOf = (kept: Map<string, Uint8Array>) => ({
  match: async (at: string) => (kept.has(at) ? new Response(kept.get(at) as Uint8Array<ArrayBuffer>) : undefined),
  put: async (at: string, response: Response) => void kept.set(at, new Uint8Array(await response.arrayBuffer())),
  delete: async (at: string) => kept.delete(at),
});
const fresh = async () => {
  vi.resetModules();
  return import('./pieces.ts');
};
const settled = () => new Promise((resolve) => setTimeout(resolve, 20));

beforeEach(() => {
  asked = [];
  shelf = new Map();
  sizeOf = () => 8;
  vi.stubGlobal('fetch', async (url: string, init: { body: string }) => answer(url, init));
  vi.stubGlobal('caches', { open: async () => diskOf(shelf), delete: async () => (shelf.clear(), true) });
});
afterEach(() => vi.unstubAllGlobals());

it('asks for each piece once, in the order asked, and for nothing that is here', async () => {
  const { fetchPieces } = await fresh(),
    [first, second] = await Promise.all([fetchPieces(['a', 'b']), fetchPieces(['b', 'c'])]);
  expect(asked).toEqual([['a', 'b'], ['c']]);
  expect([...first.keys(), ...second.keys()]).toEqual(['a', 'b', 'b', 'c']);
  expect(second.get('c')).toEqual(new Uint8Array(8).fill(99));
});
it('takes from disk after a reload, and asks the server for the rest', async () => {
  await (await fresh()).fetchPieces(['a', 'b']);
  await settled();
  const again = await fresh();
  expect((await again.fetchPieces(['a', 'b', 'c'])).get('b')).toEqual(new Uint8Array(8).fill(98));
  expect(asked).toEqual([['a', 'b'], ['c']]);
});
it('lets go of what was longest not asked for, so that memory stays bounded', async () => {
  const { fetchPieces } = await fresh();
  vi.stubGlobal('caches', { open: async () => Promise.reject(new Error('private window')) });
  sizeOf = () => 40 * MEGABYTE;
  for (const hash of ['a', 'b', 'a', 'c', 'a']) await fetchPieces([hash]);
  // Two fit: b went when c came, since a had been asked for after it.
  expect(asked).toEqual([['a'], ['b'], ['c']]);
  await fetchPieces(['b']);
  expect(asked).toHaveLength(4);
  // More at once than are kept still come whole.
  expect((await fetchPieces(['d', 'e', 'f', 'g'])).size).toBe(4);
});
it('says what is missing, keeps nothing of it, and asks again', async () => {
  const { fetchPieces } = await fresh();
  await expect(fetchPieces(['gone'])).rejects.toThrow('missing on the server');
  await expect(fetchPieces(['gone'])).rejects.toThrow('missing on the server');
  expect(asked).toEqual([['gone'], ['gone']]);
});
it('forgets pieces that a figure could not be built from, on disk too', async () => {
  const { fetchPieces, forgetPieces } = await fresh();
  await fetchPieces(['a', 'b']);
  await settled();
  await forgetPieces(['a']);
  expect([...shelf.keys()]).toEqual(['/pieces/b']);
  await fetchPieces(['a', 'b']);
  expect(asked).toEqual([['a', 'b'], ['a']]);
});
it('does without a disk where the browser has none, and starts it anew when it is full', async () => {
  vi.stubGlobal('caches', undefined);
  Reflect.deleteProperty(globalThis, 'caches');
  expect((await (await fresh()).fetchPieces(['a'])).size).toBe(1);
  vi.stubGlobal('caches', { open: async () => diskOf(shelf), delete: async () => (shelf.clear(), true) });
  shelf.set('/pieces/old', new Uint8Array(1));
  vi.stubGlobal('navigator', { storage: { estimate: async () => ({ usage: 600 * MEGABYTE }) } });
  await (await fresh()).fetchPieces(['a']);
  await settled();
  expect([...shelf.keys()]).toEqual(['/pieces/a']);
});
