import type { Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { keepOwn, ownOf } from '../character/index.ts';
import type { ImageOperation } from './codec.ts';

const OperationSchema = v.variant('op', [
  v.object({ op: v.literal('invert') }),
  v.object({
    op: v.literal('resize'),
    width: v.pipe(v.number(), v.integer(), v.minValue(1)),
    height: v.pipe(v.number(), v.integer(), v.minValue(1)),
    content: v.picklist(['color', 'normal', 'data']),
  }),
  v.object({
    op: v.literal('encode'),
    mimeType: v.picklist(['image/png', 'image/jpeg', 'image/webp']),
    quality: v.pipe(v.number(), v.minValue(1), v.maxValue(100)),
  }),
]);

/** What has been decided for an image and is not carried out yet. */
export function operationsOf(texture: Texture): ImageOperation[] {
  const parsed = v.safeParse(v.array(OperationSchema), ownOf(texture, 'operations'));
  return parsed.success ? parsed.output : [];
}

/** Replaces earlier operations of the same sort: an image is resized once, from its original. */
export function addOperation(texture: Texture, operation: ImageOperation): void {
  keepOwn(texture, 'operations', [...operationsOf(texture).filter((entry) => entry.op !== operation.op), operation]);
}

export const clearOperations = (texture: Texture): void => keepOwn(texture, 'operations', undefined);

export interface TextureState {
  width: number;
  height: number;
  mimeType: string;
  /** Bytes as stored; of the original until the operations are carried out. */
  bytes: number;
}

/** Width and height as the file's head says; null where it is cut off or holds something else. */
function sizeOf(texture: Texture): [number, number] | null {
  try {
    return texture.getSize() as [number, number] | null;
  } catch {
    return null;
  }
}

/** Size and format a texture will have once its operations are carried out. */
export function textureState(texture: Texture): TextureState {
  const size = sizeOf(texture);
  const state: TextureState = {
    width: size?.[0] ?? 0,
    height: size?.[1] ?? 0,
    mimeType: texture.getMimeType(),
    bytes: texture.getImage()?.byteLength ?? 0,
  };
  for (const operation of operationsOf(texture)) {
    if (operation.op === 'resize') {
      state.width = operation.width;
      state.height = operation.height;
    } else if (operation.op === 'encode') state.mimeType = operation.mimeType;
  }
  return state;
}

/** Bytes on the graphics card, uncompressed with mip levels: 4 bytes a texel and a third more. */
export const textureMemory = (state: { width: number; height: number }): number =>
  Math.round((state.width * state.height * 4 * 4) / 3);
