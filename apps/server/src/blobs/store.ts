import { createHash } from 'node:crypto';
import { and, asc, eq, inArray } from 'drizzle-orm';
import type { Database } from '../db/client.ts';
import { blob, blobChunk, blobRef } from '../db/schema.ts';
import { DiskRoom } from './room.ts';
import { arrivalId, whileNothingIsSwept } from './sweep.ts';

const CHUNK = 1024 * 1024;
/** An arriving file asks for room this many chunks at a time. */
const ASK_EVERY = 16;

/** Files in the database, in rows of 1 MiB, named by their hash. */
export class BlobStore {
  constructor(
    private readonly db: Database,
    private readonly room: DiskRoom = DiskRoom.fromEnvironment(),
  ) {}

  /** Keeps many pieces and says who needs them, all or none. */
  async keep(owner: string, pieces: Iterable<readonly [string, Uint8Array]>, mediaType: string): Promise<void> {
    const all = [...pieces];
    await this.room.ask(all.reduce((sum, [, bytes]) => sum + bytes.length, 0));
    await this.db.transaction(async (tx) => {
      await whileNothingIsSwept(tx);
      for (let i = 0; i < all.length; i += 500) {
        const part = all.slice(i, i + 500);
        if (!part.length) continue;
        await tx
          .insert(blobRef)
          .values(part.map(([hash]) => ({ owner, sha256: hash })))
          .onConflictDoNothing();
        const fresh = await tx
          .insert(blob)
          .values(part.map(([hash, bytes]) => ({ sha256: hash, size: bytes.length, mediaType })))
          .onConflictDoNothing()
          .returning({ sha256: blob.sha256 });
        const news = new Set(fresh.map((row) => row.sha256));
        for (const [hash, bytes] of part) {
          if (!news.has(hash)) continue;
          for (let n = 0; n * CHUNK < Math.max(1, bytes.length); n++)
            await tx
              .insert(blobChunk)
              .values({ blob: hash, n, bytes: Buffer.from(bytes.subarray(n * CHUNK, (n + 1) * CHUNK)) });
        }
      }
    });
  }

  /** Says that `owner` needs these. @throws where one of them is not there: nothing is claimed then */
  async refer(owner: string, hashes: readonly string[]): Promise<void> {
    const wanted = [...new Set(hashes)];
    await this.db.transaction(async (tx) => {
      await whileNothingIsSwept(tx);
      for (let i = 0; i < wanted.length; i += 1000) {
        const part = wanted.slice(i, i + 1000);
        await tx
          .insert(blobRef)
          .values(part.map((hash) => ({ owner, sha256: hash })))
          .onConflictDoNothing();
        const there = await tx.select({ sha256: blob.sha256 }).from(blob).where(inArray(blob.sha256, part));
        if (there.length < part.length)
          throw new Error(`${part.length - there.length} of ${part.length} pieces that ${owner} needs are not stored`);
      }
    });
  }

  /** Streams one arriving file; nothing of it is left where the stream breaks. */
  async receive(
    owner: string,
    stream: AsyncIterable<Buffer>,
    mediaType: string,
  ): Promise<{ sha256: string; bytes: number }> {
    const upload = arrivalId();
    const hash = createHash('sha256');
    let n = 0,
      size = 0,
      waiting: Buffer[] = [],
      held = 0;
    const flush = async () => {
      if (!held && n) return;
      if (n % ASK_EVERY === 0) await this.room.ask(ASK_EVERY * CHUNK);
      await this.db.insert(blobChunk).values({ blob: upload, n: n++, bytes: Buffer.concat(waiting) });
      waiting = [];
      held = 0;
    };
    try {
      for await (const part of stream) {
        hash.update(part);
        size += part.length;
        for (let at = 0; at < part.length; ) {
          const take = Math.min(CHUNK - held, part.length - at);
          waiting.push(part.subarray(at, at + take));
          held += take;
          at += take;
          if (held === CHUNK) await flush();
        }
      }
      await flush();
      const name = hash.digest('hex');
      await this.db.transaction(async (tx) => {
        await whileNothingIsSwept(tx);
        await tx.insert(blobRef).values({ owner, sha256: name }).onConflictDoNothing();
        const fresh = await tx
          .insert(blob)
          .values({ sha256: name, size, mediaType })
          .onConflictDoNothing()
          .returning({ sha256: blob.sha256 });
        if (fresh.length) await tx.update(blobChunk).set({ blob: name }).where(eq(blobChunk.blob, upload));
        else await tx.delete(blobChunk).where(eq(blobChunk.blob, upload));
      });
      return { sha256: name, bytes: size };
    } catch (error) {
      await this.db
        .delete(blobChunk)
        .where(eq(blobChunk.blob, upload))
        .catch(() => {});
      throw error;
    }
  }

  async read(hash: string): Promise<Uint8Array | null> {
    return (await this.readMany([hash])).get(hash) ?? null;
  }

  /** Reads several whole; those that are not there are missing from the answer. */
  async readMany(hashes: readonly string[]): Promise<Map<string, Uint8Array>> {
    const out = new Map<string, Uint8Array>();
    for (let i = 0; i < hashes.length; i += 64) {
      const part = hashes.slice(i, i + 64);
      const rows = await this.db
        .select()
        .from(blobChunk)
        .where(inArray(blobChunk.blob, part))
        .orderBy(asc(blobChunk.blob), asc(blobChunk.n));
      const grouped = new Map<string, Buffer[]>();
      for (const row of rows) {
        const list = grouped.get(row.blob) ?? [];
        list.push(row.bytes);
        grouped.set(row.blob, list);
      }
      for (const [hash, chunks] of grouped) {
        const joined = chunks.length === 1 ? chunks[0] : Buffer.concat(chunks);
        out.set(hash, new Uint8Array(joined.buffer, joined.byteOffset, joined.byteLength));
      }
    }
    return out;
  }

  async sizes(hashes: readonly string[]): Promise<Map<string, number>> {
    if (!hashes.length) return new Map();
    const rows = await this.db
      .select({ sha256: blob.sha256, size: blob.size })
      .from(blob)
      .where(inArray(blob.sha256, [...hashes]));
    return new Map(rows.map((row) => [row.sha256, row.size]));
  }

  /** One blob a chunk at a time, for sending large files. */
  async *stream(hash: string): AsyncGenerator<Buffer> {
    for (let n = 0; ; n++) {
      const [row] = await this.db
        .select({ bytes: blobChunk.bytes })
        .from(blobChunk)
        .where(and(eq(blobChunk.blob, hash), eq(blobChunk.n, n)));
      if (!row) return;
      yield row.bytes;
    }
  }

  async release(owner: string): Promise<void> {
    await this.db.delete(blobRef).where(eq(blobRef.owner, owner));
  }
}
