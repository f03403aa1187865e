import { describe, expect, it } from 'vitest';
import { seededRandom } from '../../geometry/index.ts';
import type { Pixels } from '../../pixels/index.ts';
import { foreignLayout, type KnownLayout, seamPlaces, seamsFit, smallPicture } from './index.ts';

const SIDE = 24;

/** A sheet bent to a tube of SIDE × SIDE squares, cut open along `cuts` strips, each laid on the map at a place of its own. */
function tube(places: readonly (readonly [u: number, v: number, turned: boolean])[], tall = 0.9) {
  const positions: number[] = [],
    uv: number[] = [],
    indices: number[] = [],
    wide = SIDE / places.length,
    cell = tall / SIDE;
  places.forEach(([u, v, turned], strip) => {
    const first = positions.length / 3;
    for (let i = 0; i <= wide; i++)
      for (let j = 0; j <= SIDE; j++) {
        const around = ((strip * wide + i) / SIDE) * 2 * Math.PI;
        positions.push(Math.cos(around), j / SIDE, Math.sin(around));
        const [x, y] = turned ? [j * cell, i * cell] : [i * cell, j * cell];
        uv.push(u + x, v + y);
      }
    for (let i = 0; i < wide; i++)
      for (let j = 0; j < SIDE; j++) {
        const a = first + i * (SIDE + 1) + j,
          b = a + SIDE + 1;
        indices.push(a, b, b + 1, a, b + 1, a + 1);
      }
  });
  return {
    // Both ends of the ring are one place only where they are the same to the bit.
    positions: Float32Array.from(positions, (x) => Math.round(x * 1e5) / 1e5),
    uv: Float32Array.from(uv),
    indices: Uint32Array.from(indices),
  };
}
type Tube = ReturnType<typeof tube>;
const seamsOf = ({ positions, uv, indices }: Tube) => seamPlaces(positions, uv, indices);
/** Three layouts of one tube: strips beside each other, strips strewn about, and all of it in one piece. */
const UPRIGHT = tube(
    [
      [0.02, 0.05, false],
      [0.35, 0.25, false],
      [0.68, 0.13, false],
    ],
    0.7,
  ),
  STREWN = tube(
    [
      [0.05, 0.62, true],
      [0.63, 0.08, false],
      [0.1, 0.11, true],
    ],
    0.5,
  ),
  WHOLE = tube([[0.05, 0.05, true]]);

/** A map painted for a layout: what a colour is at each place in space, with some noise. */
function painted(
  { positions, uv, indices }: Tube,
  color: (x: number, y: number, z: number) => number[],
  noise = 0,
): Pixels {
  const size = 128,
    data = new Uint8Array(size * size * 4).fill(60),
    random = seededRandom(7);
  for (let t = 0; t < indices.length; t += 3)
    for (let i = 0; i <= 12; i++)
      for (let j = 0; i + j <= 12; j++) {
        const share = [1 - (i + j) / 12, i / 12, j / 12],
          of = (from: Float32Array, width: number, k: number) =>
            share.reduce((sum, s, c) => sum + s * from[indices[t + c] * width + k], 0),
          at = (Math.floor(of(uv, 2, 1) * size) * size + Math.floor(of(uv, 2, 0) * size)) * 4;
        color(of(positions, 3, 0), of(positions, 3, 1), of(positions, 3, 2)).forEach((value, k) => {
          data[at + k] = Math.max(0, Math.min(255, value + (random() - 0.5) * noise));
        });
      }
  return { width: size, height: size, data };
}
const skin = (x: number, y: number, z: number) => [150 + 60 * x, 120 + 60 * Math.sin(7 * y), 110 + 50 * z * y];
const known: KnownLayout[] = [
  { figure: 'strewn', title: 'Strewn', part: 'Tube', seams: seamsOf(STREWN) },
  { figure: 'whole', title: 'Whole', part: 'Tube', seams: seamsOf(WHOLE) },
];

describe('seams', () => {
  it('are where neighbours lie apart on the map, and on either side of the cut', () => {
    const pairs = seamsOf(UPRIGHT);
    // Three cuts of SIDE edges.
    expect(pairs).toHaveLength(3 * SIDE * 4);
    for (let i = 0; i < pairs.length; i += 4) {
      expect(Math.abs(pairs[i] - pairs[i + 2])).toBeGreaterThan(0.02);
    }
  });
  it('are thinned out evenly, are none where nothing is cut, and none of a heap of triangles', () => {
    expect(seamPlaces(UPRIGHT.positions, UPRIGHT.uv, UPRIGHT.indices, 30)).toHaveLength(120);
    const one = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0);
    expect(seamPlaces(one, Float32Array.of(0, 0, 1, 0, 0, 1), Uint32Array.of(0, 1, 2))).toHaveLength(0);
    expect(seamPlaces(new Float32Array(9), new Float32Array(6), Uint32Array.of(0, 1, 2))).toHaveLength(0);
    // Places that are no numbers, and many triangles on one edge, are passed over.
    const broken = UPRIGHT.uv.map((x, i) => (i % 7 ? x : Number.NaN));
    expect(seamPlaces(UPRIGHT.positions, broken, UPRIGHT.indices).every(Number.isFinite)).toBe(true);
    const fan = Uint32Array.from({ length: 3000 }, (_, i) => i % 3);
    expect(seamPlaces(one, Float32Array.of(0, 0, 1, 0, 0, 1), fan)).toHaveLength(0);
  });
  it('of two hundred thousand triangles are found in a moment, however they hang together', () => {
    const count = 200_000,
      indices = Uint32Array.from({ length: count * 3 }, (_, i) => (i % 3 ? Math.floor(i / 3) + (i % 3) : 0)),
      positions = Float32Array.from({ length: (count + 3) * 3 }, (_, i) => i),
      began = performance.now();
    seamPlaces(positions, new Float32Array((count + 3) * 2), indices);
    expect(performance.now() - began).toBeLessThan(30_000);
  });
});

describe('a map and the layout it was painted for', () => {
  it('fit: it goes on across those seams, and breaks at any others', () => {
    for (const [own, others] of [
      [UPRIGHT, [STREWN, WHOLE]],
      [STREWN, [UPRIGHT]],
    ] as const) {
      const picture = smallPicture(painted(own, skin, 12));
      const fit = Number(seamsFit(picture, seamsOf(own)));
      expect(fit).toBeLessThan(0.2);
      for (const other of others) expect(seamsFit(picture, seamsOf(other))).toBeGreaterThan(3 * fit);
    }
  });
  it('are told apart; the right one is none to tell of', () => {
    const foreign = foreignLayout(smallPicture(painted(STREWN, skin, 12)), seamsOf(UPRIGHT), known);
    expect(foreign?.layout.figure).toBe('strewn');
    expect(foreignLayout(smallPicture(painted(UPRIGHT, skin, 12)), seamsOf(UPRIGHT), known)).toBeNull();
    // Painted for nobody that is known.
    expect(foreignLayout(smallPicture(painted(UPRIGHT, skin, 12)), seamsOf(STREWN), known.slice(1))).toBeNull();
  });
  it('can’t be told of an even map, of noise, and where there are few seams', () => {
    expect(seamsFit(smallPicture(painted(STREWN, () => [90, 90, 90])), seamsOf(STREWN).slice(0, 80))).toBeNull();
    const even = { width: 8, height: 8, data: new Uint8Array(256).fill(100) };
    expect(seamsFit(smallPicture(even), seamsOf(UPRIGHT))).toBeNull();
    const random = seededRandom(3),
      noise = { width: 128, height: 128, data: Uint8Array.from({ length: 128 * 128 * 4 }, () => random() * 255) };
    expect(foreignLayout(smallPicture(noise), seamsOf(UPRIGHT), known)).toBeNull();
  });
  it('a map of any size is read: one texel, a strip', () => {
    for (const [width, height] of [
      [1, 1],
      [700, 1],
      [1, 513],
    ]) {
      const small = smallPicture({ width, height, data: new Uint8Array(width * height * 4).fill(9) });
      expect(Math.max(small.width, small.height)).toBeLessThanOrEqual(256);
      expect(small.values.every((value) => Math.abs(value - 9) < 0.01)).toBe(true);
      expect(seamsFit(small, seamsOf(UPRIGHT))).toBeNull();
    }
  });
});
