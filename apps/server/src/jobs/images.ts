import {
  asGltfImage,
  createGltfIO,
  inspectFindings,
  inspectMaps,
  packDocument,
  piecesOf,
  placeImages,
  ProblemError,
  summarise,
  unpackDocument,
  type Finding,
  type ImagesPlaced,
  type NewImage,
  type Slot,
} from '@dimetra/core';
import { sha256, sharpCodec, unpackImage } from '@dimetra/platform';
import { eq } from 'drizzle-orm';
import { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { revision } from '../db/schema.ts';
import type { ArrivedFile, IntakeResult } from './intake.ts';

export interface ImagesAnswer {
  placed: ImagesPlaced;
  result: Omit<IntakeResult, 'used'>;
}

/** Brings images in again onto a revision and stores the pieces of what comes of it. Runs in a worker thread. */
export async function bringImages(
  connection: Connection,
  revisionId: string,
  arrived: readonly ArrivedFile[],
  owner: string,
  slot?: Slot,
): Promise<ImagesAnswer> {
  const blobs = new BlobStore(connection.db),
    io = await createGltfIO();
  const [row] = await connection.db.select().from(revision).where(eq(revision.id, revisionId));
  if (!row) throw new ProblemError('not-found', 'This character is not here any more.');
  const manifest = row.manifest as unknown as Parameters<typeof unpackDocument>[1];
  const pieces = await blobs.readMany(piecesOf(manifest));
  const document = await unpackDocument(io, manifest, (hash) => pieces.get(hash));
  const { name } = row.summary;
  // Findings of reading stay; those of inspection are made anew.
  const before = await inspected(document, name),
    said = new Set(before.findings.map(keyOf));
  const images: NewImage[] = [];
  for (const file of arrived)
    images.push(await opened(file.path, (await blobs.read(file.sha256)) ?? new Uint8Array(0)));
  const placed = placeImages(document, images, slot);
  const after = await inspected(document, name),
    came = new Set(images.map((image) => stem(image.path)));
  const kept = row.findings.filter(
    (finding) =>
      !said.has(keyOf(finding)) && !(finding.code === 'intake.missing-image' && came.has(stem(finding.where ?? ''))),
  );
  const packed = await packDocument(io, document, sha256);
  await blobs.keep(owner, packed.pieces, 'application/octet-stream');
  return {
    placed,
    result: {
      name,
      manifest: packed.manifest as unknown as Record<string, unknown>,
      summary: after.summary,
      findings: [...kept, ...after.findings],
      pieces: [...packed.pieces.keys()],
    },
  };
}

const stem = (path: string): string =>
  path
    .replace(/\\/g, '/')
    .replace(/^.*\//, '')
    .replace(/\.[^.]+$/, '')
    .toLowerCase();
const keyOf = (finding: Finding): string => `${finding.code} ${finding.where} ${finding.message}`;

async function inspected(document: Parameters<typeof inspectFindings>[0], name: string) {
  const summary = summarise(document, name);
  return { summary, findings: [...inspectFindings(document, summary), ...(await inspectMaps(document, sharpCodec))] };
}

async function opened(path: string, bytes: Uint8Array): Promise<NewImage> {
  if (!bytes.length) throw new ProblemError('intake.empty-file', `“${path}” is empty (0 bytes). Save it again.`, path);
  const image = asGltfImage({ path, bytes });
  const result =
    image.mimeType === 'image/ktx2' || image.mimeType === 'image/tiff'
      ? { bytes: await unpackImage(bytes, image.mimeType), mimeType: 'image/png' }
      : image;
  // A file that only begins like an image is found out here, not when it is drawn.
  try {
    await sharpCodec.decode(result.bytes, 16);
  } catch {
    throw new ProblemError(
      'image.unreadable',
      `“${path}” can't be read as an image. Save it again as PNG or JPEG.`,
      path,
    );
  }
  return { path, ...result };
}
