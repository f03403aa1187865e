import type { Document, Texture } from '@gltf-transform/core';
import { channelsOfTexture, type MapChannel } from '../character/index.ts';
import { addOperation, type ImageContent, type ImageMime, KTX2, textureState } from '../pixels/index.ts';
import { wornTextures } from '../maps/index.ts';
import { shrinkToMemory } from './shrink-to-memory.ts';
import {
  halve,
  LEAST,
  longest,
  lossAt,
  type MapKnowledge,
  type Size,
  type TexturePlan,
  type TextureRule,
} from './texture-plan.ts';

/** Share of the pixels that show a map which may ask for more than it has, where it is made no finer than is seen. */
const UNSEEN = 0.002;

/**
 * Sizes and formats by the target's limits: the channel's own limit or the general one, texels on a centimetre, what is
 * seen; then halved until the memory fits, each time the map of which least is missed for the memory that it gives. An
 * image is never enlarged; proportions stay. What nothing wears is not delivered, so it takes no room from the others.
 */
export function planTextures(document: Document, rule: TextureRule, known: MapKnowledge = {}): TexturePlan[] {
  const plans: TexturePlan[] = [];
  for (const texture of wornTextures(document)) {
    const state = textureState(texture);
    if (!state.width || !state.height) continue;
    const channels = channelsOfTexture(document, texture),
      content = contentOf(channels),
      limits = [...channels].map((channel) => rule.sizes[channel] ?? rule.maxSize),
      size = Math.min(rule.maxSize, limits.length ? Math.max(...limits) : rule.maxSize),
      limited = fitWithin(state, size),
      plan: TexturePlan = {
        texture,
        content,
        from: { width: state.width, height: state.height, mimeType: state.mimeType },
        to: rule.packed
          ? // Until it is packed it is not known which is smaller, and whether alpha says anything.
            {
              ...limited,
              mimeType: KTX2,
              packing: rule.packed === 'etc1s' ? 'etc1s' : 'uastc',
              alpha: content === 'color',
            }
          : { ...limited, mimeType: chooseFormat(document, texture, content, state.mimeType, rule.formats) },
        packed: rule.packed,
        maxError: rule.maxError,
        reason: longest(limited) < longest(state) ? 'limit' : 'as it came',
      };
    const perCm = known.perCm?.get(texture),
      loss = known.loss?.get(texture);
    while (
      perCm &&
      rule.texelsPerCm &&
      longest(plan.to) > LEAST &&
      (perCm * longest(plan.to)) / longest(state) > rule.texelsPerCm
    )
      halve(plan, 'density');
    // What the first halvings cost is nothing where no view asks for those levels.
    const most = loss ? UNSEEN * (loss[loss.length - 1] || 0) : 0;
    while (rule.asSeen && loss && longest(plan.to) > LEAST && lossAt(loss, plan, 1) <= most) halve(plan, 'as seen');
    plans.push(plan);
  }
  if (rule.maxMemory !== undefined) shrinkToMemory(plans, rule.maxMemory, known.loss ?? new Map());
  for (const plan of plans) {
    if (rule.packed) inBlocks(plan.to);
    const loss = known.loss?.get(plan.texture);
    if (loss) plan.loss = lossAt(loss, plan);
  }
  return plans;
}

/** Sides in whole blocks of four, as KHR_texture_basisu asks. */
function inBlocks(size: Size): void {
  size.width = Math.max(4, Math.floor(size.width / 4) * 4);
  size.height = Math.max(4, Math.floor(size.height / 4) * 4);
}

/** What the channels that an image is used for say of its content. */
export function contentOf(channels: ReadonlySet<MapChannel>): ImageContent {
  if (channels.has('normal') || channels.has('clearcoatNormal')) return 'normal';
  return COLOURS.some((channel) => channels.has(channel)) ? 'color' : 'data';
}
const COLOURS: readonly MapChannel[] = ['baseColor', 'emissive', 'diffuse', 'sheenColor', 'specularColor'];

function fitWithin(size: { width: number; height: number }, longest: number): { width: number; height: number } {
  const scale = Math.min(1, longest / Math.max(size.width, size.height));
  return { width: Math.max(1, Math.round(size.width * scale)), height: Math.max(1, Math.round(size.height * scale)) };
}

/** Colour and normals keep their format where the target takes it; colour without alpha may be JPEG. */
function chooseFormat(
  document: Document,
  texture: Texture,
  content: TexturePlan['content'],
  own: string,
  formats: readonly ImageMime[],
): ImageMime {
  if (formats.includes(own as ImageMime)) return own as ImageMime;
  const needsAlpha =
    content === 'color' &&
    document
      .getRoot()
      .listMaterials()
      .some((material) => material.getBaseColorTexture() === texture && material.getAlphaMode() !== 'OPAQUE');
  const allowed = formats.filter((format) => !(needsAlpha && format === 'image/jpeg'));
  return allowed[0] ?? 'image/png';
}

/** Quality of what is written with losses where no error is asked for, and at most. */
const QUALITY = 90,
  FINEST = 98;
/** What packing may change where the target doesn't say. */
const PACKED_ERROR = 1;

/** Writes the plan down on the textures; pixels are touched at delivery only. */
export function applyTexturePlan(plans: readonly TexturePlan[]): void {
  for (const { texture, content, from, to, packed, maxError } of plans) {
    if (to.width !== from.width || to.height !== from.height)
      addOperation(texture, { op: 'resize', width: to.width, height: to.height, content });
    if (packed) addOperation(texture, { op: 'pack', packing: packed, content, maxError: maxError ?? PACKED_ERROR });
    else if (
      to.mimeType !== KTX2 &&
      (to.mimeType !== from.mimeType || (maxError !== undefined && to.mimeType !== 'image/png'))
    )
      addOperation(texture, {
        op: 'encode',
        mimeType: to.mimeType,
        ...(maxError === undefined ? { quality: QUALITY } : { quality: FINEST, maxError, content }),
      });
  }
}
