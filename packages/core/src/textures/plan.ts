import type { Document, Texture } from '@gltf-transform/core';
import { channelsOfTexture } from '../character/index.ts';
import { type ImageMime, addOperation, textureState } from '../pixels/index.ts';
import { wornTextures } from '../maps/index.ts';

export interface TextureRule {
  /** Longest side, pixels; a power of two. */
  maxSize: number;
  /** Longest side by channel, where it differs. */
  sizes: Partial<Record<string, number>>;
  /** Formats the target takes, best first. */
  formats: readonly ImageMime[];
  /** Memory on the graphics card, bytes, for all maps together. */
  maxMemory?: number;
}

export interface TexturePlan {
  texture: Texture;
  content: 'color' | 'normal' | 'data';
  from: { width: number; height: number; mimeType: string };
  to: { width: number; height: number; mimeType: ImageMime };
}

/**
 * Sizes and formats by the target's limits: the channel's own limit or the general one, then halved from the
 * largest down until the memory fits. An image is never enlarged; proportions stay. What nothing wears is not
 * delivered, so it takes no room from the others.
 */
export function planTextures(document: Document, rule: TextureRule): TexturePlan[] {
  const plans: TexturePlan[] = [];
  for (const texture of wornTextures(document)) {
    const state = textureState(texture);
    if (!state.width || !state.height) continue;
    const channels = channelsOfTexture(document, texture);
    const content =
      channels.has('normal') || channels.has('clearcoatNormal')
        ? 'normal'
        : channels.has('baseColor') ||
            channels.has('emissive') ||
            channels.has('diffuse') ||
            channels.has('sheenColor') ||
            channels.has('specularColor')
          ? 'color'
          : 'data';
    const limits = [...channels].map((channel) => rule.sizes[channel] ?? rule.maxSize);
    const size = Math.min(rule.maxSize, limits.length ? Math.max(...limits) : rule.maxSize);
    plans.push({
      texture,
      content,
      from: { width: state.width, height: state.height, mimeType: state.mimeType },
      to: {
        ...fitWithin(state, size),
        mimeType: chooseFormat(document, texture, content, state.mimeType, rule.formats),
      },
    });
  }
  if (rule.maxMemory !== undefined) shrinkToMemory(plans, rule.maxMemory);
  return plans;
}

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

function shrinkToMemory(plans: TexturePlan[], most: number): void {
  const memory = () => plans.reduce((sum, plan) => sum + (plan.to.width * plan.to.height * 16) / 3, 0);
  // Data maps give first, then normals, colour last; within a kind the largest.
  const order = { data: 0, normal: 1, color: 2 };
  while (memory() > most) {
    const largest = Math.max(...plans.map((plan) => Math.max(plan.to.width, plan.to.height)));
    if (largest <= 64) return;
    const next = plans
      .filter((plan) => Math.max(plan.to.width, plan.to.height) === largest)
      .sort((a, b) => order[a.content] - order[b.content])[0];
    next.to.width = Math.max(1, Math.round(next.to.width / 2));
    next.to.height = Math.max(1, Math.round(next.to.height / 2));
  }
}

/** Writes the plan down on the textures; pixels are touched at delivery only. */
export function applyTexturePlan(plans: readonly TexturePlan[]): void {
  for (const { texture, content, from, to } of plans) {
    if (to.width !== from.width || to.height !== from.height)
      addOperation(texture, { op: 'resize', width: to.width, height: to.height, content });
    if (to.mimeType !== from.mimeType) addOperation(texture, { op: 'encode', mimeType: to.mimeType, quality: 90 });
  }
}
