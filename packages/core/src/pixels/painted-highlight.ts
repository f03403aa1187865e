import { turnOf } from '../geometry/index.ts';
import { encodedByte, LINEAR } from './color.ts';
import type { Pixels } from './codec.ts';

/** A band of light that is painted across the strands of a map. */
export interface PaintedHighlight {
  /** Where along the strands it is brightest, 0 … 1, and how much brighter than what it lies on. */
  at: number;
  times: number;
  /** By how much each place along the strands is brighter than without it, 1 where it isn't. */
  profile: Float64Array;
}

/** Places along the strands, and groups of strands side by side. */
const PLACES = 48,
  GROUPS = 16;
/** A band is that much brighter, in most strands at least that much, and no wider than so much of them. */
const BRIGHTER = 1.25,
  IN_MOST = 1.12,
  WIDEST = 0.5;
/** Nearer to an end it is how the strand begins or ends. */
const ENDS = 0.1;

/**
 * Looks for a highlight across all strands of a map: a band in the middle of their length that is brighter than the line
 * between the darkest places on either side of it, in most of the strands. A tip that fades, or roots that are dark, is none.
 * @param degrees which way strands run, from u, v's origin above
 */
export function paintedHighlight(pixels: Pixels, degrees: number): PaintedHighlight | null {
  const place = placesOf(pixels, degrees),
    sums = new Float64Array(PLACES * GROUPS),
    weights = new Float64Array(PLACES * GROUPS);
  for (let y = 0, i = 0; y < pixels.height; y++)
    for (let x = 0; x < pixels.width; x++, i += 4) {
      const alpha = pixels.data[i + 3] / 255;
      if (alpha < 0.1) continue;
      const { along, across } = place(x, y),
        at =
          Math.min(GROUPS - 1, Math.floor(across * GROUPS)) * PLACES + Math.min(PLACES - 1, Math.floor(along * PLACES));
      sums[at] += alpha * toneAt(pixels.data, i);
      weights[at] += alpha;
    }
  const whole = profileOf(sums, weights, 0, GROUPS);
  if (!whole) return null;
  const found = bandIn(whole);
  if (!found || found.times < BRIGHTER) return null;
  const each: number[] = [];
  for (let group = 0; group < GROUPS; group++) {
    const own = profileOf(sums, weights, group, group + 1);
    if (own) each.push(own[found.peak] / lineAt(own, found.left, found.right, found.peak));
  }
  each.sort((a, b) => a - b);
  if (each[each.length >> 1] < IN_MOST) return null;
  const profile = Float64Array.from(whole, (value, b) =>
    b > found.left && b < found.right ? Math.max(1, value / lineAt(whole, found.left, found.right, b)) : 1,
  );
  return { at: (found.peak + 0.5) / PLACES, times: found.times, profile };
}

/** A map without the highlight: as dark where it was as the strands are beside it; what varies from strand to strand stays. */
export function withoutHighlight(pixels: Pixels, degrees: number, { profile }: PaintedHighlight): Pixels {
  const place = placesOf(pixels, degrees),
    data = Uint8Array.from(pixels.data);
  for (let y = 0, i = 0; y < pixels.height; y++)
    for (let x = 0; x < pixels.width; x++, i += 4) {
      const b = Math.max(0, Math.min(PLACES - 1.001, place(x, y).along * PLACES - 0.5)),
        t = b - Math.floor(b),
        times = profile[Math.floor(b)] * (1 - t) + profile[Math.floor(b) + 1] * t;
      if (times <= 1.001) continue;
      for (let k = 0; k < 3; k++) data[i + k] = encodedByte(LINEAR[data[i + k]] / times);
    }
  return { ...pixels, data };
}

const toneAt = (data: Uint8Array, i: number): number =>
  0.2126 * LINEAR[data[i]] + 0.7152 * LINEAR[data[i + 1]] + 0.0722 * LINEAR[data[i + 2]];

/** Where a texel lies along the strands and across them, 0 … 1 over the map. */
function placesOf(
  { width, height }: Pixels,
  degrees: number,
): (x: number, y: number) => { along: number; across: number } {
  const { cos, sin } = turnOf(degrees),
    // Rows run down.
    reachAlong = Math.abs(cos) * width + Math.abs(sin) * height,
    reachAcross = Math.abs(sin) * width + Math.abs(cos) * height;
  return (x, y) => {
    const px = x + 0.5 - width / 2,
      py = height / 2 - y - 0.5;
    return { along: 0.5 + (px * cos + py * sin) / reachAlong, across: 0.5 + (py * cos - px * sin) / reachAcross };
  };
}

/** Mean tone along the strands of some groups, evened out; null where places have none. */
function profileOf(sums: Float64Array, weights: Float64Array, from: number, to: number): Float64Array | null {
  let profile = new Float64Array(PLACES);
  for (let b = 0; b < PLACES; b++) {
    let sum = 0,
      weight = 0;
    for (let group = from; group < to; group++) {
      sum += sums[group * PLACES + b];
      weight += weights[group * PLACES + b];
    }
    if (weight < 1) return null;
    profile[b] = sum / weight + 1e-4;
  }
  for (let round = 0; round < 2; round++)
    profile = profile.map(
      (value, b) => (profile[Math.max(0, b - 1)] + 2 * value + profile[Math.min(PLACES - 1, b + 1)]) / 4,
    );
  return profile;
}

const lineAt = (profile: Float64Array, left: number, right: number, b: number): number =>
  profile[left] + ((profile[right] - profile[left]) * (b - left)) / (right - left);

/** The band that stands out most from the darkest places on either side. */
function bandIn(profile: Float64Array): { peak: number; left: number; right: number; times: number } | null {
  let best: ReturnType<typeof bandIn> = null;
  for (let peak = Math.ceil(ENDS * PLACES); peak < (1 - ENDS) * PLACES - 1; peak++) {
    const reach = Math.ceil((WIDEST * PLACES) / 2);
    let left = peak - 1,
      right = peak + 1;
    for (let b = peak - 1; b >= Math.max(0, peak - reach); b--) if (profile[b] < profile[left]) left = b;
    for (let b = peak + 1; b <= Math.min(PLACES - 1, peak + reach); b++) if (profile[b] < profile[right]) right = b;
    const times = profile[peak] / lineAt(profile, left, right, peak);
    if (!best || times > best.times) best = { peak, left, right, times };
  }
  return best;
}
