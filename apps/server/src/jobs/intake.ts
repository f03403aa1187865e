import { createGltfIO, inspectFindings, inspectMaps, packDocument, readCharacter, recogniseFigure, SHIPPED_FIGURES, summarise, type CharacterSummary, type Finding, type InputFile } from '@dimetra/core';
import { sha256, sharpCodec, unpackImage } from '@dimetra/platform';
import { BlobStore } from '../blobs/store.ts';
import type { Connection } from '../db/client.ts';
import { figure } from '../db/schema.ts';

export interface ArrivedFile { path: string; bytes: number; sha256: string }
export interface IntakeResult {
  name: string;
  manifest: Record<string, unknown>;
  summary: CharacterSummary;
  findings: Finding[];
  used: string[];
}

/** Reads what was uploaded as one character and stores its pieces under `owner`. Runs in a worker thread. */
export async function intake(connection: Connection, arrived: readonly ArrivedFile[], owner: string): Promise<IntakeResult> {
  const blobs = new BlobStore(connection.db);
  const files: InputFile[] = [];
  for (const file of arrived) files.push({ path: file.path, bytes: (await blobs.read(file.sha256)) ?? new Uint8Array(0) });
  const read = await readCharacter(files, undefined, { unpackImage });
  recogniseFigure(read.document, [...SHIPPED_FIGURES, ...(await connection.db.select().from(figure)).map((row) => row.data)]);
  const summary = summarise(read.document, read.name);
  const packed = await packDocument(await createGltfIO(), read.document, sha256);
  await blobs.keep(owner, packed.pieces, 'application/octet-stream');
  return { name: read.name, manifest: packed.manifest as unknown as Record<string, unknown>, summary, findings: [...read.findings, ...inspectFindings(read.document, summary), ...(await inspectMaps(read.document, sharpCodec))], used: read.used };
}
