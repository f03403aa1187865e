import { MOST_PIXELS } from '@dimetra/core';
import { PiecesSchema } from '@dimetra/contract';
import { Router } from 'express';
import sharp from 'sharp';
import type { BlobStore } from '../blobs/store.ts';
import { body, notFound, sendProblem } from './problems.ts';
import { sendPart } from './sending.ts';

/**
 * Pieces of documents. Many at once come as one stream: for each piece its length (4 bytes, little endian; all ones
 * for one that isn't there), then its bytes, in the order asked for.
 */
export function pieceRoutes(blobs: BlobStore): Router {
  const router = Router();
  router.post('/pieces', async (request, response) => {
    const { hashes } = body(request, PiecesSchema);
    response.type('application/octet-stream');
    for (let i = 0; i < hashes.length; i += 32) {
      const part = hashes.slice(i, i + 32);
      const found = await blobs.readMany(part);
      for (const hash of part) {
        const bytes = found.get(hash);
        const length = Buffer.alloc(4);
        length.writeUInt32LE(bytes ? bytes.length : 0xffffffff);
        if (!(await sendPart(response, length)) || (bytes && !(await sendPart(response, bytes)))) return;
      }
    }
    response.end();
  });
  router.get('/images/:hash', async (request, response) => {
    const hash = String(request.params.hash);
    const size = Math.min(4096, Math.max(16, Number(request.query.max) || 1024));
    const bytes = /^[0-9a-f]{64}$/.test(hash) ? await blobs.read(hash) : null;
    if (!bytes) throw notFound('This image');
    try {
      const image = sharp(bytes, { limitInputPixels: MOST_PIXELS }).resize({
        width: size,
        height: size,
        fit: 'inside',
        withoutEnlargement: true,
      });
      const { hasAlpha } = await sharp(bytes).metadata();
      const small = hasAlpha
        ? await image.png({ compressionLevel: 3 }).toBuffer()
        : await image.jpeg({ quality: 88, chromaSubsampling: '4:4:4' }).toBuffer();
      response
        .set('Cache-Control', 'private, max-age=31536000, immutable')
        .type(hasAlpha ? 'png' : 'jpeg')
        .send(small);
    } catch {
      sendProblem(response, { code: 'image.unreadable', message: "This image can't be read." });
    }
  });
  return router;
}
