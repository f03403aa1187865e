/** Pieces that the page itself keeps, bytes: what lies on the stage holds its own. */
const KEPT_BYTES = 96 * 1024 ** 2;
/** And on disk, over reloads. A piece's name is the hash of what it holds, so that what is kept is never out of date. */
const SHELF = 'dimetra-pieces-1',
  SHELF_BYTES = 512 * 1024 ** 2;

const kept = new Map<string, Promise<Uint8Array>>(),
  sizes = new Map<string, number>();
let keptBytes = 0;

/** Pieces by their hashes: from memory, from what the browser keeps on disk, and what is missing in one stream from the server. */
export async function fetchPieces(hashes: readonly string[]): Promise<Map<string, Uint8Array>> {
  const missing = hashes.filter((hash) => !kept.has(hash));
  if (missing.length) {
    const found = bring(missing);
    for (const hash of missing) {
      const piece = found.then((map) => {
        const bytes = map.get(hash);
        if (!bytes) throw new Error('A piece of the figure is missing on the server. Load it again.');
        return bytes;
      });
      piece.then(
        (bytes) => noteSize(hash, bytes.length),
        () => kept.delete(hash),
      );
      kept.set(hash, piece);
    }
  }
  const wanted = hashes.map((hash) => {
    const piece = kept.get(hash) as Promise<Uint8Array>;
    // What is asked for goes to the end: the other end is let go of.
    kept.delete(hash);
    kept.set(hash, piece);
    return piece;
  });
  const found = await Promise.all(wanted);
  return new Map(hashes.map((hash, i) => [hash, found[i]]));
}

/** Lets go of pieces wherever they are kept: a figure made of them could not be built, so that they are asked for anew. */
export async function forgetPieces(hashes: readonly string[]): Promise<void> {
  const shelf = await openShelf();
  for (const hash of hashes) {
    keptBytes -= sizes.get(hash) ?? 0;
    sizes.delete(hash);
    kept.delete(hash);
    await shelf?.delete(addressOf(hash)).catch(() => false);
  }
}

function noteSize(hash: string, bytes: number): void {
  if (sizes.has(hash) || !kept.has(hash)) return;
  sizes.set(hash, bytes);
  keptBytes += bytes;
  for (const [oldest] of kept) {
    if (keptBytes <= KEPT_BYTES) return;
    const size = sizes.get(oldest);
    if (size === undefined) continue;
    kept.delete(oldest);
    sizes.delete(oldest);
    keptBytes -= size;
  }
}

async function bring(hashes: readonly string[]): Promise<Map<string, Uint8Array>> {
  const shelf = await openShelf(),
    found = new Map<string, Uint8Array>();
  await Promise.all(
    hashes.map(async (hash) => {
      const hit = await shelf?.match(addressOf(hash)).catch(() => undefined);
      if (hit) found.set(hash, new Uint8Array(await hit.arrayBuffer()));
    }),
  );
  const missing = hashes.filter((hash) => !found.has(hash));
  if (!missing.length) return found;
  const fresh = await requestBundle(missing);
  for (const [hash, bytes] of fresh) found.set(hash, bytes);
  // Beside the work: nobody waits for it, and a browser without room goes on without.
  if (shelf) void keepOnShelf(shelf, fresh).catch(() => {});
  return found;
}

/** Null where the browser has none: without HTTPS elsewhere than on this machine, or in a private window. */
const openShelf = (): Promise<Cache | null> =>
  'caches' in globalThis ? caches.open(SHELF).catch(() => null) : Promise.resolve(null);
const addressOf = (hash: string): string => `/pieces/${hash}`;

async function keepOnShelf(shelf: Cache, fresh: ReadonlyMap<string, Uint8Array>): Promise<void> {
  const { usage = 0 } = (await globalThis.navigator?.storage?.estimate?.()) ?? {};
  // Full: it starts anew, which costs one load and no bookkeeping.
  if (usage > SHELF_BYTES) {
    await caches.delete(SHELF);
    shelf = await caches.open(SHELF);
  }
  for (const [hash, bytes] of fresh) await shelf.put(addressOf(hash), new Response(bytes as Uint8Array<ArrayBuffer>));
}

async function requestBundle(hashes: readonly string[]): Promise<Map<string, Uint8Array>> {
  const response = await fetch('/api/v1/pieces', {
    method: 'POST',
    headers: { 'Content-Type': 'application/json' },
    body: JSON.stringify({ hashes }),
  });
  if (!response.ok) throw new Error("The figure can't be loaded just now: the server doesn't answer as it should.");
  const buffer = await response.arrayBuffer();
  const view = new DataView(buffer);
  const out = new Map<string, Uint8Array>();
  let at = 0;
  for (const hash of hashes) {
    const length = view.getUint32(at, true);
    at += 4;
    if (length === 0xffffffff) continue;
    // A copy, so that each piece starts on a boundary its typed array can use.
    out.set(hash, new Uint8Array(buffer.slice(at, at + length)));
    at += length;
  }
  return out;
}
