import type { Texture } from '@gltf-transform/core';
import * as v from 'valibot';
import { keepOwn, ownOf } from '../character/index.ts';
import { type ImageOperation, KTX2, type PackOperation } from './codec.ts';
import { ktx2Head, type Packing } from './ktx2-head.ts';

const CONTENT = v.picklist(['color', 'normal', 'data']);
const OperationSchema = v.variant('op', [
  v.object({ op: v.literal('invert') }),
  v.object({
    op: v.literal('resize'),
    width: v.pipe(v.number(), v.integer(), v.minValue(1)),
    height: v.pipe(v.number(), v.integer(), v.minValue(1)),
    content: CONTENT,
  }),
  v.object({
    op: v.literal('encode'),
    mimeType: v.picklist(['image/png', 'image/jpeg', 'image/webp']),
    quality: v.pipe(v.number(), v.minValue(1), v.maxValue(100)),
    maxError: v.optional(v.pipe(v.number(), v.minValue(0))),
    content: v.optional(CONTENT),
  }),
  v.object({
    op: v.literal('pack'),
    packing: v.picklist(['uastc', 'etc1s', 'smallest']),
    content: CONTENT,
    maxError: v.pipe(v.number(), v.minValue(0)),
  }),
]);

/** What has been decided for an image and is not carried out yet. */
export function operationsOf(texture: Texture): (ImageOperation | PackOperation)[] {
  const parsed = v.safeParse(v.array(OperationSchema), ownOf(texture, 'operations'));
  return parsed.success ? parsed.output : [];
}

/** Replaces earlier operations of the same sort: an image is resized once, from its original. */
export function addOperation(texture: Texture, operation: ImageOperation | PackOperation): void {
  keepOwn(texture, 'operations', [...operationsOf(texture).filter((entry) => entry.op !== operation.op), operation]);
}

export const clearOperations = (texture: Texture): void => keepOwn(texture, 'operations', undefined);

export interface TextureState {
  width: number;
  height: number;
  mimeType: string;
  /** How it lies in the memory of the graphics card, where it is packed for it. */
  packing?: Packing;
  alpha?: boolean;
  /** Bytes as stored; of the original until the operations are carried out. */
  bytes: number;
}

/** Width and height as the file's head says; null where it is cut off or holds something else. */
function sizeOf(texture: Texture): [number, number] | null {
  const image = texture.getImage(),
    packed = image && ktx2Head(image);
  if (packed) return [packed.width, packed.height];
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
    ...packingOf(texture),
  };
  for (const operation of operationsOf(texture)) {
    if (operation.op === 'resize') {
      state.width = operation.width;
      state.height = operation.height;
    } else if (operation.op === 'encode') state.mimeType = operation.mimeType;
    else if (operation.op === 'pack') {
      state.mimeType = KTX2;
      // What turns out smaller is known once it is packed.
      state.packing = operation.packing === 'etc1s' ? 'etc1s' : 'uastc';
      state.alpha = operation.content === 'color';
    }
  }
  return state;
}

const packingOf = (texture: Texture): Pick<TextureState, 'packing' | 'alpha'> => {
  const image = texture.getImage(),
    head = image && ktx2Head(image);
  return head ? { packing: head.packing, alpha: head.alpha } : {};
};

/**
 * Bytes on the graphics card with mip levels, a third more than the map alone: 4 bytes a texel; packed, blocks of 4 × 4 in
 * 16 bytes, and ETC1S without alpha in 8.
 */
export const textureMemory = ({ width, height, packing, alpha }: Sized): number =>
  Math.round((width * height * (packing === 'etc1s' && !alpha ? 0.5 : packing ? 1 : 4) * 4) / 3);
type Sized = Pick<TextureState, 'width' | 'height' | 'packing' | 'alpha'>;
