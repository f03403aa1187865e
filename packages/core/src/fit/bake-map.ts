import { bleedOutward, encodedByte, type ImageContent, type Pixels } from '../pixels/index.ts';
import type { FrameAt } from './frames-at.ts';
import { type MapSlot, sampleMap } from './sample-map.ts';
import type { TexelPlaces } from './texel-places.ts';

/** What a part of the old surface brings to a map: its own map laid out by its texture places, or one value all over. */
export interface MapSource {
  slot: MapSlot | null;
  /** Texture place of a vertex of the old surface. */
  u(vertex: number): number;
  v(vertex: number): number;
  /** What channels are multiplied by: of colours in linear light. */
  factor: readonly number[];
  /** Texels of its map in a square metre of surface, by triangle. */
  density(triangle: number): number;
}

/** Texels carried over the borders of islands, so that no seam shows in coarser mip levels. */
const OVER_BORDERS = 32;

/**
 * A map of what was replaced, laid out on the new surface: each texel shows the place that it lies on.
 * @param indices three vertices per triangle of the old surface
 * @param sourceOf what the part that a triangle belongs to brings
 * @param density texels of the new map in a square metre of surface, by texel
 * @param frames for normals: the frames of both surfaces
 */
export function bakeMap(
  places: TexelPlaces,
  indices: Uint32Array,
  sourceOf: (triangle: number) => MapSource,
  density: (texel: number) => number,
  content: ImageContent,
  frames: { old: FrameAt; own: FrameAt } | null,
  stop: () => void = () => {},
): Pixels {
  const { size, triangle, share } = places,
    data = new Uint8Array(size * size * 4),
    known = new Uint8Array(size * size),
    value = new Float64Array(4),
    isColor = content === 'color',
    turned = content === 'normal' && frames;
  for (let texel = 0; texel < triangle.length; texel++) {
    if (texel % 65_536 === 0) stop();
    const t = triangle[texel];
    if (t < 0) continue;
    const source = sourceOf(t),
      v = share[texel * 2],
      w = share[texel * 2 + 1];
    if (source.slot) {
      const a = indices[t * 3],
        b = indices[t * 3 + 1],
        c = indices[t * 3 + 2],
        ua = source.u(a),
        va = source.v(a),
        own = density(texel),
        foot = own > 0 ? Math.sqrt(source.density(t) / own) : 1;
      sampleMap(
        value,
        source.slot,
        ua + v * (source.u(b) - ua) + w * (source.u(c) - ua),
        va + v * (source.v(b) - va) + w * (source.v(c) - va),
        foot,
        isColor,
      );
    } else if (content === 'normal') {
      value[0] = value[1] = 0.5;
      value[2] = value[3] = 1;
    } else value.fill(1);
    if (turned) turnNormal(value, source.factor[0], t, v, w, texel, turned.old, turned.own);
    else if (content !== 'normal') for (let k = 0; k < 4; k++) value[k] *= source.factor[k];
    known[texel] = 1;
    for (let k = 0; k < 4; k++)
      data[texel * 4 + k] =
        isColor && k < 3 ? encodedByte(value[k]) : Math.round(255 * Math.max(0, Math.min(1, value[k])));
  }
  if (content === 'normal') level(data, known);
  bleedOutward(data, size, size, 4, known, OVER_BORDERS);
  return { width: size, height: size, data };
}

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
function level(data: Uint8Array, known: Uint8Array): void {
  for (let i = 0; i < known.length; i++)
    if (!known[i]) {
      data[i * 4] = data[i * 4 + 1] = 128;
      data[i * 4 + 2] = data[i * 4 + 3] = 255;
    }
}
