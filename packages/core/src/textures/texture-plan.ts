import type { Texture } from '@gltf-transform/core';
import { type ImageContent, type ImageMime, type KTX2, type Packing, textureMemory } from '../pixels/index.ts';

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

/** Smaller than this no map is made for memory's sake. */
export const LEAST = 64;

export interface Size {
  width: number;
  height: number;
}
/** Bytes on the graphics card that all maps take as planned. */
export const memoryOf = (plans: readonly TexturePlan[]): number =>
  plans.reduce((sum, { to }) => sum + textureMemory(to), 0);
export const texels = ({ width, height }: Size): number => width * height;
export const longest = ({ width, height }: Size): number => Math.max(width, height);
export function halve(plan: TexturePlan, reason: SizeReason): void {
  plan.to.width = Math.max(1, Math.round(plan.to.width / 2));
  plan.to.height = Math.max(1, Math.round(plan.to.height / 2));
  plan.reason = reason;
}

/** What is lost of a map as planned, halved `more` times; between two halvings in proportion. */
export function lossAt(loss: Float64Array, { from, to }: { from: Size; to: Size }, more = 0): number {
  // Whole doublings by division, parts of one in proportion: no logarithm, whose last digit differs between machines.
  let halvings = more,
    ratio = longest(from) / longest(to);
  for (; ratio >= 2; ratio /= 2) halvings++;
  const last = loss.length - 1,
    whole = Math.min(last, halvings),
    next = Math.min(last, whole + 1);
  return loss[whole] + (loss[next] - loss[whole]) * (ratio - 1);
}
