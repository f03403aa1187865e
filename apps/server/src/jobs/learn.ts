import {
  createGltfIO,
  findBrokenBinds,
  learnFigure,
  piecesOf,
  ProblemError,
  repairBinds,
  standAsFound,
  unpackDocument,
  type Figure,
} from '@dimetra/core';
import { eq } from 'drizzle-orm';
import { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { revision } from '../db/schema.ts';

/** A figure learned from a revision as it stands once it is upright, in metres and sound. Runs in a worker thread. */
export async function learnFrom(
  connection: Connection,
  revisionId: string,
  name: { id: string; title: string },
): Promise<Figure> {
  const [row] = await connection.db
    .select({ manifest: revision.manifest })
    .from(revision)
    .where(eq(revision.id, revisionId));
  if (!row) throw new ProblemError('not-found', 'This character is not here any more.');
  const manifest = row.manifest as unknown as Parameters<typeof unpackDocument>[1];
  const pieces = await new BlobStore(connection.db).readMany(piecesOf({ ...manifest, images: [] }));
  const document = await unpackDocument(
    await createGltfIO(),
    manifest,
    (hash) => pieces.get(hash) ?? new Uint8Array(0),
  );
  standAsFound(document);
  repairBinds(document, findBrokenBinds(document));
  if (!document.getRoot().listSkins().length)
    throw new ProblemError('figure.no-skeleton', 'This character has no skeleton to learn a figure from.');
  return learnFigure(document, name);
}
