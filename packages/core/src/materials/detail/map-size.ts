import type { Surface } from './fine-surface.ts';

/** Sides of maps that are chosen by themselves, texels. */
const SMALLEST = 256,
  LARGEST = 4096;
/** Texels on an edge of the finer mesh: what it holds is seen, and not its triangles. */
const TEXELS_AN_EDGE = 2;

/** As many texels as the finer mesh has something to say to; a power of two. */
export function sizeFor(mapsPerMetre: number, edge: number): number {
  if (!(mapsPerMetre > 0) || !(edge > 0)) return SMALLEST;
  let size = SMALLEST;
  while (size < LARGEST && size * mapsPerMetre * edge < TEXELS_AN_EDGE) size *= 2;
  return size;
}

export function meanEdge({ positions: p, indices }: Surface): number {
  let sum = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const a = indices[t] * 3,
      b = indices[t + 1] * 3;
    sum += Math.hypot(p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]);
  }
  return indices.length ? (sum * 3) / indices.length : 0;
}
