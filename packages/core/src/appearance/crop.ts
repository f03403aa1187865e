import { encodedByte, type Pixels } from '../pixels/index.ts';
import { GROUND } from './lab.ts';
import { CHANNELS, type Light, LIGHTS } from './light.ts';
import type { Picture } from './picture.ts';

/** A square cut out of a picture under one light, before grey ground; it stays inside the picture. */
export function cropOf({ size, color, alpha }: Picture, light: Light, pixel: number, side: number): Pixels {
  const width = Math.min(side, size),
    within = (at: number) => Math.max(0, Math.min(size - width, Math.round(at - width / 2))),
    left = within(pixel % size),
    top = within(Math.floor(pixel / size)),
    first = LIGHTS.indexOf(light) * 3,
    data = new Uint8Array(width * width * 4);
  for (let y = 0, to = 0; y < width; y++)
    for (let x = 0; x < width; x++, to += 4) {
      const at = (top + y) * size + left + x;
      for (let k = 0; k < 3; k++)
        data[to + k] = encodedByte(color[at * CHANNELS + first + k] + (1 - alpha[at]) * GROUND);
      data[to + 3] = 255;
    }
  return { width, height: width, data };
}
