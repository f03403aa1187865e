import type { Document, Texture } from '@gltf-transform/core';
import pMap from 'p-map';
import { textureFile } from '../character/index.ts';
import { wornTextures } from '../maps/index.ts';
import {
  clearOperations,
  coverage,
  IMAGES_AT_ONCE,
  type ImageMime,
  type ImageOperation,
  operationsOf,
  type PackOperation,
} from '../pixels/index.ts';
import { type Finding, ProblemError, throwIfAborted } from '../problem.ts';
import type { StepContext } from '../step.ts';
import { packMaps, renameForFormat } from './pack-maps.ts';
import { type Averaged, averagedNormals, widenMap } from './widen-maps.ts';

/**
 * Carries out what was decided for images, once, on the originals; what can't be read stays as it came, and is told.
 * Changes `document`; the caller hands over one of its own.
 */
export async function writeMaps(document: Document, context: StepContext): Promise<Finding[]> {
  const failed = new Map<Texture, Finding>();
  // Images that found no material, and such as glTF has no place for, are not delivered.
  const worn = new Set(wornTextures(document));
  for (const texture of document.getRoot().listTextures()) if (!worn.has(texture)) texture.dispose();
  const textures = document.getRoot().listTextures(),
    covered = coverage(document),
    averaged = new Map(averagedNormals(document).map((pair) => [pair.surface, pair])),
    packs = new Map<Texture, PackOperation>();
  const apply = async (texture: Texture, operations: readonly ImageOperation[]): Promise<void> => {
    const image = texture.getImage();
    if (!image || !operations.length) return;
    const done = await context.images
      .apply(image, operations, (width, height) => covered(texture, width, height))
      .catch((error: unknown) => {
        if (!(error instanceof ProblemError)) throw error;
        failed.set(texture, notWritten(texture, error));
        return null;
      });
    if (!done) return;
    texture.setImage(done.bytes as Uint8Array<ArrayBuffer>).setMimeType(done.mimeType);
    renameForFormat(texture, done.mimeType);
  };
  let begun = 0;
  const write = async (texture: Texture, i: number): Promise<void> => {
    throwIfAborted(context.signal);
    context.progress(
      begun++ / Math.max(1, textures.length),
      `writing map ${texture.getName() || texture.getURI() || i + 1}`,
    );
    const decided = stagesOf(texture),
      { pixels, encode, pack } = decided;
    clearOperations(texture);
    if (pack) packs.set(texture, pack);
    const pair = averaged.get(texture);
    // What is changed once more loses nothing until then.
    if (!pack && !pair) return apply(texture, [...pixels, ...encode]);
    const image = texture.getImage(),
      type = texture.getMimeType();
    if (pixels.length) await apply(texture, [...pixels, { op: 'draft' }]);
    const widened = pair && (await widenMap(pair, context.images));
    if (pack || !image) return;
    if (widened) return apply(texture, encode.length ? encode : [inFormat(type)]);
    texture.setImage(image).setMimeType(type);
    await apply(texture, [...pixels, ...encode]);
  };
  await pMap(besideTheirNormals(textures, averaged), write, { concurrency: IMAGES_AT_ONCE });
  const unpacked = await packMaps(document, packs, context);
  return [...textures.flatMap((texture) => failed.get(texture) ?? []), ...unpacked];
}

/** Surface maps follow the normals that they are widened by, which are open then. */
function besideTheirNormals(textures: readonly Texture[], averaged: ReadonlyMap<Texture, Averaged>): Texture[] {
  const place = new Map(textures.map((texture, i) => [texture, i])),
    rank = (texture: Texture): number => {
      const normal = averaged.get(texture)?.normal;
      return (normal ? place.get(normal) : undefined) ?? (place.get(texture) as number);
    };
  return [...textures].sort((a, b) => rank(a) - rank(b) || Number(averaged.has(a)) - Number(averaged.has(b)));
}

interface Stages {
  /** Changes of its pixels. */
  pixels: ImageOperation[];
  /** The format it is then written in; its own where nothing is said. */
  encode: ImageOperation[];
  pack?: PackOperation;
}

/** What is decided for an image, in the order it is carried out. */
function stagesOf(texture: Texture): Stages {
  const all = operationsOf(texture);
  return {
    pixels: all.filter((operation) => operation.op !== 'pack' && operation.op !== 'encode'),
    encode: all.filter((operation) => operation.op === 'encode'),
    pack: all.find((operation) => operation.op === 'pack'),
  };
}
const inFormat = (mimeType: string): ImageOperation => ({
  op: 'encode',
  mimeType: mimeType as ImageMime,
  quality: 90,
});

const notWritten = (texture: Texture, { message }: ProblemError): Finding => ({
  code: 'textures.not-written',
  severity: 'warning',
  message: `“${textureFile(texture)}” is delivered as it came: ${message.replace(/^./, (c) => c.toLowerCase())}`,
  where: textureFile(texture),
});
