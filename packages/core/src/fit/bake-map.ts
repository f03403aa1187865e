import { encodedByte, type ImageContent, type Pixels } from '../pixels/index.ts';
import type { FrameAt } from './frames-at.ts';
import { type MapSlot, sampleMap } from './sample-map.ts';
import type { TexelPlaces } from './texel-places.ts';
import { type Beside, NO_PART, type TexelSources } from './texel-sources.ts';

/** What a part of the old surface brings to a map: its own map, or one value all over. */
export interface MapSource {
  slot: MapSlot | null;
  /** What channels are multiplied by: of colours in linear light; of normals, first, how much steeper their slopes are. */
  factor: readonly number[];
}

/**
 * A map of what was replaced, laid out on the new surface: each texel shows the place that it lies on.
 * @param sources by number of the part
 * @param frames for normals: the frames of both surfaces
 */
export function bakeMap(
  { size, triangle, share }: TexelPlaces,
  { part, place, foot }: TexelSources,
  beside: Beside,
  sources: readonly MapSource[],
  content: ImageContent,
  frames: { old: FrameAt; own: FrameAt } | null,
  stop: () => void = () => {},
): Pixels {
  const data = new Uint8Array(size * size * 4),
    value = new Float64Array(4),
    isColor = content === 'color',
    isNormal = content === 'normal',
    sides = sources.map(({ slot }) => (slot ? Math.sqrt(slot.pixels.width * slot.pixels.height * repeats(slot)) : 0));
  if (isNormal) level(data);
  for (let texel = 0; texel < part.length; texel++) {
    if ((texel & 0xffff) === 0) stop();
    const from = part[texel];
    if (from === NO_PART) continue;
    const { slot, factor } = sources[from];
    if (slot) sampleMap(value, slot, place[texel * 2], place[texel * 2 + 1], foot[texel] * sides[from], isColor);
    else if (isNormal) {
      value[0] = value[1] = 0.5;
      value[2] = value[3] = 1;
    } else value.fill(1);
    if (isNormal && frames)
      turnNormal(
        value,
        factor[0],
        triangle[texel],
        share[texel * 2],
        share[texel * 2 + 1],
        texel,
        frames.old,
        frames.own,
      );
    else {
      value[0] *= factor[0];
      value[1] *= factor[1];
      value[2] *= factor[2];
      value[3] *= factor[3];
    }
    const o = texel * 4;
    if (isColor) {
      data[o] = encodedByte(value[0]);
      data[o + 1] = encodedByte(value[1]);
      data[o + 2] = encodedByte(value[2]);
    } else {
      data[o] = byteOf(value[0]);
      data[o + 1] = byteOf(value[1]);
      data[o + 2] = byteOf(value[2]);
    }
    data[o + 3] = byteOf(value[3]);
  }
  const words = new Uint32Array(data.buffer);
  for (let i = 0; i < beside.texel.length; i++) words[beside.texel[i]] = words[beside.from[i]];
  return { width: size, height: size, data };
}

/** How many times over a map lies where its coordinates say once. */
const repeats = ({ affine }: MapSlot): number => (affine ? Math.abs(affine[0] * affine[4] - affine[1] * affine[3]) : 1);

const byteOf = (value: number): number => (value <= 0 ? 0 : value >= 1 ? 255 : (value * 255 + 0.5) | 0);

const d = new Float64Array(3),
  frame = new Float64Array(9);

/** A direction of the old map in the frame of the new one. @param scale how much its slopes are multiplied */
function turnNormal(
  value: Float64Array,
  scale: number,
  triangle: number,
  v: number,
  w: number,
  texel: number,
  old: FrameAt,
  own: FrameAt,
): void {
  const x = (value[0] * 2 - 1) * scale,
    y = (value[1] * 2 - 1) * scale,
    z = value[2] * 2 - 1;
  old(frame, triangle, v, w, -1);
  for (let k = 0; k < 3; k++) d[k] = frame[k] * x + frame[3 + k] * y + frame[6 + k] * z;
  own(frame, -1, 0, 0, texel);
  const l = Math.sqrt(d[0] * d[0] + d[1] * d[1] + d[2] * d[2]) || 1;
  for (let k = 0; k < 3; k++)
    value[k] = ((frame[k * 3] * d[0] + frame[k * 3 + 1] * d[1] + frame[k * 3 + 2] * d[2]) / l + 1) / 2;
  value[3] = 1;
}

/** What nothing lies on is level. */
function level(data: Uint8Array): void {
  for (let i = 0; i < data.length; i += 4) {
    data[i] = data[i + 1] = 128;
    data[i + 2] = data[i + 3] = 255;
  }
}
