import type { Document, Texture } from '@gltf-transform/core';
import { channelsOfTexture, type MapChannel } from '../character/index.ts';
import {
  addOperation,
  type ImageContent,
  type ImageMime,
  KTX2,
  type Packing,
  textureMemory,
  textureState,
} from '../pixels/index.ts';
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
  /** Texels on a centimetre of surface, at most. */
  texelsPerCm?: number;
  /** No finer than is seen. */
  asSeen?: boolean;
  /** Packed for graphics processors. */
  packed?: Packing | 'smallest';
  /** What writing an image with losses may change it by. */
  maxError?: number;
}

/** What is known of maps beyond their heads. */
export interface MapKnowledge {
  /** Texels on a centimetre of surface at full size, where the map lies densest. */
  perCm?: ReadonlyMap<Texture, number>;
  /** What is seen of making it smaller, by how often it is halved. */
  loss?: ReadonlyMap<Texture, Float64Array>;
}

/** What made a map as small as it is. */
export type SizeReason = 'as it came' | 'limit' | 'density' | 'as seen' | 'memory';

export interface TexturePlan {
  texture: Texture;
  content: ImageContent;
  from: { width: number; height: number; mimeType: string };
  to: { width: number; height: number; mimeType: ImageMime | typeof KTX2; packing?: Packing; alpha?: boolean };
  /** Asked for, where it is packed for graphics processors. */
  packed?: Packing | 'smallest';
  maxError?: number;
  reason: SizeReason;
  /** ΔE over all pixels of all views that is lost with it; unknown where nothing was looked at. */
  loss?: number;
}

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

interface Size {
  width: number;
  height: number;
}
const texels = ({ width, height }: Size): number => width * height;
const longest = ({ width, height }: Size): number => Math.max(width, height);
function halve(plan: TexturePlan, reason: SizeReason): void {
  plan.to.width = Math.max(1, Math.round(plan.to.width / 2));
  plan.to.height = Math.max(1, Math.round(plan.to.height / 2));
  plan.reason = reason;
}

/** What is lost of a map as planned, halved `more` times; between two halvings in proportion. */
function lossAt(loss: Float64Array, { from, to }: { from: Size; to: Size }, more = 0): number {
  // Whole doublings by division, parts of one in proportion: no logarithm, whose last digit differs between machines.
  let halvings = more,
    ratio = longest(from) / longest(to);
  for (; ratio >= 2; ratio /= 2) halvings++;
  const last = loss.length - 1,
    whole = Math.min(last, halvings),
    next = Math.min(last, whole + 1);
  return loss[whole] + (loss[next] - loss[whole]) * (ratio - 1);
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

/** Smaller than this no map is made for memory's sake. */
const LEAST = 64;

/**
 * Halves maps until the memory fits: each time the one of which least is missed for the memory it gives. Where nothing is
 * known of that, the largest, data before normals before colour.
 */
function shrinkToMemory(plans: TexturePlan[], most: number, losses: ReadonlyMap<Texture, Float64Array>): void {
  const before = new Map<TexturePlan, Before[]>(),
    price = (plan: TexturePlan): number => {
      const loss = losses.get(plan.texture);
      return loss ? (lossAt(loss, plan, 1) - lossAt(loss, plan)) / texels(plan.to) : Infinity;
    };
  while (memoryOf(plans) > most) {
    const left = plans.filter((plan) => longest(plan.to) > LEAST);
    if (!left.length) break;
    const largest = Math.max(...left.map((plan) => longest(plan.to))),
      priced = left.map((plan) => ({ plan, price: price(plan) })).filter((one) => one.price < Infinity),
      next = priced.length
        ? // Of those that are missed as little, the one that gives most.
          priced.reduce((a, b) =>
            b.price < a.price || (b.price === a.price && texels(b.plan.to) > texels(a.plan.to)) ? b : a,
          ).plan
        : left
            .filter((plan) => longest(plan.to) === largest)
            .reduce((a, b) => (ORDER[b.content] < ORDER[a.content] ? b : a));
    const { to, reason } = next;
    before.set(next, [...(before.get(next) ?? []), { width: to.width, height: to.height, reason }]);
    halve(next, 'memory');
  }
  giveBack(before, most - memoryOf(plans), losses);
}
const ORDER = { data: 0, normal: 1, color: 2 };
interface Before {
  width: number;
  height: number;
  reason: SizeReason;
}
const memoryOf = (plans: readonly TexturePlan[]): number => plans.reduce((sum, { to }) => sum + textureMemory(to), 0);

/** What the last halvings gave beyond what was needed goes back to the maps that are missed most. */
function giveBack(
  halved: ReadonlyMap<TexturePlan, Before[]>,
  free: number,
  losses: ReadonlyMap<Texture, Float64Array>,
): void {
  for (let left = free; ; ) {
    let best: { plan: TexturePlan; back: Before; gain: number; needs: number } | null = null;
    for (const [plan, sizes] of halved) {
      const back = sizes.at(-1),
        loss = losses.get(plan.texture);
      if (!back || !loss) continue;
      const needs = textureMemory(back) - textureMemory(plan.to),
        gain = lossAt(loss, plan) - lossAt(loss, { from: plan.from, to: back });
      if (needs <= left && gain > (best?.gain ?? 0)) best = { plan, back, gain, needs };
    }
    if (!best) return;
    const { plan, back } = best;
    halved.get(plan)?.pop();
    plan.to.width = back.width;
    plan.to.height = back.height;
    plan.reason = back.reason;
    left -= best.needs;
  }
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
