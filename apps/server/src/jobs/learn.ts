import {
  createGltfIO,
  findBrokenBinds,
  learnFigure,
  learnWithBody,
  piecesOf,
  ProblemError,
  repairBinds,
  standAsFound,
  unpackDocument,
  type Figure,
} from '@dimetra/core';
import { sha256 } from '@dimetra/platform';
import { eq } from 'drizzle-orm';
import { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { revision } from '../db/schema.ts';

/**
 * A figure learned from a revision as it stands once it is upright, in metres and sound; its skin is kept under its id. Runs in
 * a worker thread.
 */
export async function learnFrom(
  connection: Connection,
  revisionId: string,
  name: { id: string; title: string },
  withSkin: boolean,
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
  if (!withSkin) return learnFigure(document, name);
  const { figure, bytes } = await learnWithBody(document, name, sha256);
  if (figure.body && bytes)
    await new BlobStore(connection.db).keep(`figure:${figure.id}`, [[figure.body.file, bytes]], 'model/gltf-binary');
  return figure;
}
