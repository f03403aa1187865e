import { boundsOf, type Picture } from './picture.ts';

/** ΔE 2000 from which a pixel counts into a region, after no shift of one pixel explains it. */
export const REGION_FROM = 8;
const MOST_REGIONS = 8;

/** A connected place where two pictures differ. */
export interface PictureRegion {
  pixels: number;
  /** Mean ΔE 2000. */
  deltaE: number;
  /** Σ (ΔE − 8) over its pixels: faint and small ones sink. */
  weight: number;
  /** The pixel of the region nearest to its middle. */
  pixel: number;
  /** Materials that show most on one side and on the other, −1 for none, and the share of the region where that is so. */
  from: number;
  to: number;
  share: number;
}

/**
 * Regions that are more than lines: such as hold a whole block of 3 × 3 pixels. Heaviest first.
 * @param worst ΔE of each pixel
 */
export function findRegions(worst: Float32Array, a: Picture, b: Picture): PictureRegion[] {
  const { size } = a,
    core = coresOf(worst, a, b),
    seen = new Uint8Array(worst.length),
    found: PictureRegion[] = [],
    stack: number[] = [];
  for (let start = 0; start < worst.length; start++) {
    if (!core[start] || seen[start]) continue;
    const members: number[] = [];
    stack.push(start);
    seen[start] = 1;
    for (let at = stack.pop(); at !== undefined; at = stack.pop()) {
      members.push(at);
      const x = at % size,
        y = (at / size) | 0;
      for (let j = Math.max(0, y - 1); j <= Math.min(size - 1, y + 1); j++)
        for (let i = Math.max(0, x - 1); i <= Math.min(size - 1, x + 1); i++) {
          const next = j * size + i;
          if (seen[next] || worst[next] <= REGION_FROM) continue;
          seen[next] = 1;
          stack.push(next);
        }
    }
    found.push(described(members, worst, a, b));
  }
  return found.sort((p, q) => q.weight - p.weight || p.pixel - q.pixel).slice(0, MOST_REGIONS);
}

/** Middles of blocks of 3 × 3 that all differ. */
function coresOf(worst: Float32Array, a: Picture, b: Picture): Uint8Array {
  const { size } = a,
    { left, top, right, bottom } = boundsOf(a, b),
    core = new Uint8Array(worst.length);
  for (let y = Math.max(1, top); y <= Math.min(size - 2, bottom); y++)
    for (let x = Math.max(1, left); x <= Math.min(size - 2, right); x++) {
      const at = y * size + x;
      if (worst[at] <= REGION_FROM) continue;
      let all = 1;
      for (let j = -size; all && j <= size; j += size)
        for (let i = -1; all && i <= 1; i++) if (worst[at + j + i] <= REGION_FROM) all = 0;
      core[at] = all;
    }
  return core;
}

function described(members: readonly number[], worst: Float32Array, a: Picture, b: Picture): PictureRegion {
  const { size } = a,
    pairs = new Map<string, { from: number; to: number; count: number }>();
  let sum = 0,
    x = 0,
    y = 0;
  for (const at of members) {
    sum += worst[at];
    x += at % size;
    y += (at / size) | 0;
    const from = a.material[at],
      to = b.material[at],
      pair = pairs.get(`${from} ${to}`);
    if (pair) pair.count++;
    else pairs.set(`${from} ${to}`, { from, to, count: 1 });
  }
  x /= members.length;
  y /= members.length;
  const offSquared = (at: number) => ((at % size) - x) ** 2 + (((at / size) | 0) - y) ** 2;
  const pixel = members.reduce((best, at) => {
    const d = offSquared(at) - offSquared(best);
    return d < 0 || (d === 0 && at < best) ? at : best;
  });
  const most = [...pairs.values()].sort((p, q) => q.count - p.count || p.from - q.from || p.to - q.to)[0];
  return {
    pixels: members.length,
    deltaE: sum / members.length,
    weight: sum - REGION_FROM * members.length,
    pixel,
    from: most.from,
    to: most.to,
    share: most.count / members.length,
  };
}
