import { degreesOf } from '../geometry/index.ts';
import type { Pixels } from './codec.ts';

/** Which way strands run in a map. */
export interface StrandDirection {
  /** From the direction in which u grows, against the clock with v's origin above: 0 along rows, 90 along columns; below 180. */
  degrees: number;
  /** 0 where there is no direction, 1 where all of the map runs one way. */
  coherence: number;
}

/** Sum of red, green and blue that counts as nothing there. */
const CLEAR = 8;

/**
 * The direction along which a map of strands changes least: the structure tensor of what is seen of it, over all of it
 * (Bigün & Granlund 1987; derivatives after Scharr 2000). Null where the map holds nothing but one tone.
 */
export function strandDirection({ width, height, data }: Pixels): StrandDirection | null {
  const tone = (x: number, y: number): number => {
    const i = (y * width + x) * 4;
    return ((data[i] + data[i + 1] + data[i + 2]) / 3) * (data[i + 3] / 255);
  };
  const step = (x: number, y: number, dx: number, dy: number) => tone(x + dx, y + dy) - tone(x - dx, y - dy),
    slope = (x: number, y: number, dx: number, dy: number): number =>
      (10 * step(x, y, dx, dy) + 3 * (step(x + dy, y + dx, dx, dy) + step(x - dy, y - dx, dx, dy))) / 16;
  let xx = 0,
    yy = 0,
    xy = 0;
  for (let y = 1; y < height - 1; y++)
    for (let x = 1; x < width - 1; x++) {
      if (data[(y * width + x) * 4 + 3] < CLEAR) continue;
      // Scharr's derivatives, which turn alike in all directions.
      const dx = slope(x, y, 1, 0),
        dy = slope(x, y, 0, 1);
      xx += dx * dx;
      yy += dy * dy;
      xy += dx * dy;
    }
  const sum = xx + yy;
  if (sum < 1) return null;
  const apart = Math.sqrt((xx - yy) * (xx - yy) + 4 * xy * xy);
  // Twice the angle of the steepest change; strands run across it. Rows run down: the other way round.
  const across = degreesOf(2 * xy, xx - yy) / 2,
    along = 180 - ((across + 90) % 180);
  return { degrees: along % 180, coherence: apart / sum };
}
