import { ProblemError } from '@dimetra/core';
import busboy from 'busboy';
import type { Request } from 'express';
import type { BlobStore } from '../blobs/store.ts';
import type { ArrivedFile } from '../jobs/intake.ts';

export interface UploadLimits {
  totalBytes: number;
  files: number;
}

/** Streams every file of the form to the blob store; the first limit that is passed ends it with nothing kept. */
export async function receiveFiles(
  request: Request,
  blobs: BlobStore,
  owner: string,
  limits: UploadLimits,
): Promise<ArrivedFile[]> {
  const tooLarge = () =>
    new ProblemError(
      'upload.too-large',
      `The upload is larger than ${Math.round(limits.totalBytes / 1048576)} MB. Send the character's own files only.`,
    );
  if (Number(request.headers['content-length'] ?? 0) > limits.totalBytes + 1_048_576) throw tooLarge();
  let form: busboy.Busboy;
  try {
    form = busboy({
      headers: request.headers,
      limits: { files: limits.files, fieldSize: 4096, fields: limits.files },
      preservePath: true,
      defParamCharset: 'utf8',
    });
  } catch {
    throw new ProblemError('upload.none', 'No files arrived. Drop a model, a folder or an archive.');
  }
  const work: Promise<ArrivedFile>[] = [];
  let total = 0;
  return new Promise((resolve, reject) => {
    let failed = false;
    const fail = (error: Error) => {
      if (failed) return;
      failed = true;
      request.unpipe(form);
      request.resume();
      form.destroy();
      Promise.allSettled(work).then(() => reject(error));
    };
    form.on('file', (_field, stream, info) => {
      stream.on('data', (part: Buffer) => {
        total += part.length;
        if (total > limits.totalBytes) {
          stream.destroy(tooLarge());
          fail(tooLarge());
        }
      });
      stream.on('error', () => {});
      const path = (info.filename ?? 'file')
        .replace(/\\/g, '/')
        .replace(/^(\.*\/)+/, '')
        .split('/')
        .filter((piece) => piece !== '..')
        .join('/');
      const received = blobs.receive(owner, stream, info.mimeType).then((kept) => ({ path: path || 'file', ...kept }));
      received.catch(fail);
      work.push(received);
    });
    form.on('filesLimit', () =>
      fail(
        new ProblemError(
          'upload.too-many',
          `More than ${limits.files} files arrived at once. Pack them into an archive.`,
        ),
      ),
    );
    form.on('error', (error) => fail(error as Error));
    form.on('close', () => {
      if (!failed)
        Promise.all(work).then(
          (files) =>
            files.length
              ? resolve(files)
              : reject(new ProblemError('upload.none', 'No files arrived. Drop a model, a folder or an archive.')),
          fail,
        );
    });
    request.on('aborted', () =>
      fail(new ProblemError('upload.broken', 'The upload was broken off. Nothing of it was kept.')),
    );
    request.pipe(form);
  });
}
