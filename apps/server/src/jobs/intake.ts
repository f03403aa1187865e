import {
  createGltfIO,
  inspectFindings,
  inspectMaps,
  packDocument,
  readCharacters,
  recogniseFigure,
  recogniseKinds,
  recogniseStrands,
  SHIPPED_FIGURES,
  summarise,
  type CharacterSummary,
  type Figure,
  type Finding,
  type InputFile,
  type ReadResult,
} from '@dimetra/core';
import { createRunCodec, sha256, unpackImage } from '@dimetra/platform';
import { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { figure } from '../db/schema.ts';

export interface ArrivedFile {
  path: string;
  bytes: number;
  sha256: string;
}
export interface IntakeResult {
  name: string;
  manifest: Record<string, unknown>;
  summary: CharacterSummary;
  findings: Finding[];
  used: string[];
  /** Content hashes of what is stored for it. */
  pieces: string[];
}

export interface IntakeAnswer {
  characters: IntakeResult[];
  failed: { path: string; message: string }[];
}

/** Reads what was uploaded as the characters that it holds and stores the pieces of each under `owner`. Runs in a worker thread. */
export async function intake(
  connection: Connection,
  arrived: readonly ArrivedFile[],
  owner: string,
): Promise<IntakeAnswer> {
  const blobs = new BlobStore(connection.db);
  const files: InputFile[] = [];
  for (const file of arrived)
    files.push({ path: file.path, bytes: (await blobs.read(file.sha256)) ?? new Uint8Array(0) });
  const figures = [...SHIPPED_FIGURES, ...(await connection.db.select().from(figure)).map((row) => row.data)];
  const { characters, failed } = await readCharacters(files, undefined, { unpackImage });
  const out: IntakeResult[] = [];
  for (const read of characters) out.push(await keep(read, figures, blobs, owner));
  return { characters: out, failed };
}

async function keep(
  read: ReadResult,
  figures: readonly Figure[],
  blobs: BlobStore,
  owner: string,
): Promise<IntakeResult> {
  recogniseFigure(read.document, figures);
  const images = createRunCodec();
  await recogniseKinds(read.document, images);
  await recogniseStrands(read.document, images);
  const summary = summarise(read.document, read.name);
  const packed = await packDocument(await createGltfIO(), read.document, sha256);
  await blobs.keep(owner, packed.pieces, 'application/octet-stream');
  return {
    name: read.name,
    manifest: packed.manifest as unknown as Record<string, unknown>,
    summary,
    findings: [
      ...read.findings,
      ...inspectFindings(read.document, summary),
      ...(await inspectMaps(read.document, images)),
    ],
    used: read.used,
    pieces: [...packed.pieces.keys()],
  };
}
