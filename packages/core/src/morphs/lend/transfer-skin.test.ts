import { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { listParts } from '../../character/index.ts';
import { edgeSolver } from '../mix/edge-solver.ts';
import { skinMesh } from '../mix/skin-mesh.ts';
import { transferSkin } from './transfer-skin.ts';

const SIDE = 12;
/** A bent sheet of skin, as the only part of a figure. */
function sheet(place: (p: number[]) => number[]) {
  const document = new Document(),
    positions: number[] = [],
    indices: number[] = [];
  for (let y = 0; y <= SIDE; y++)
    for (let x = 0; x <= SIDE; x++) {
      positions.push(...place([x / SIDE - 0.5, y / SIDE, 0.1 * Math.sin((3 * x) / SIDE)].map((c) => c * 0.1)));
      if (x === SIDE || y === SIDE) continue;
      const o = y * (SIDE + 1) + x;
      indices.push(o, o + 1, o + SIDE + 1, o + 1, o + SIDE + 2, o + SIDE + 1);
    }
  const prim = document
    .createPrimitive()
    .setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(Float32Array.from(positions)))
    .setIndices(document.createAccessor().setType('SCALAR').setArray(Uint32Array.from(indices)));
  document.createScene().addChild(document.createNode('skin').setMesh(document.createMesh('skin').addPrimitive(prim)));
  const rest = Float32Array.from(positions),
    [part] = listParts(document);
  return {
    rest,
    triangles: Uint32Array.from(indices),
    skin: skinMesh(rest, [{ part, first: 0, vertices: rest.length / 3, frames: null }]),
  };
}
/** About the axis across, by so many degrees. */
const turned = ([x, y, z]: number[], degrees: number): number[] => {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  return [x, c * y - s * z, s * y + c * z];
};
const points = (rest: Float32Array) =>
  Array.from({ length: rest.length / 3 }, (_, v) => [...rest.subarray(v * 3, v * 3 + 3)]);

function transferred(
  own: ReturnType<typeof sheet>,
  places: Float32Array,
  to: (p: number[]) => number[],
  screen: number,
  scale = 1,
) {
  const moved = Float32Array.from(points(places).flatMap((p) => to(p).map((x, k) => scale * (x - p[k])))),
    held = own.skin.mass.map((mass) => mass / screen ** 2);
  const found = transferSkin({ ...own, places }, moved, scale, held, edgeSolver(own.skin, own.skin.weight, held));
  return points(own.rest).map((p, v) => p.map((x, k) => x + found[k][own.skin.pointOf[v]]));
}
const farthest = (a: readonly number[][], b: readonly number[][]) =>
  Math.max(...a.map((p, v) => Math.hypot(...p.map((x, k) => x - b[v][k]))));

describe('movements carried over by turning and stretching', () => {
  const other = sheet((p) => p),
    broad = sheet(([x, y, z]) => [1.4 * x, y, z]);
  it('are the same on the same figure, whatever decides', () => {
    const open = (p: number[]) => turned(p, 25 * p[1] * 10);
    for (const screen of [0.003, 0.03, 3])
      expect(farthest(transferred(other, other.rest, open, screen), points(other.rest).map(open))).toBeLessThan(2e-6);
  });
  it('grow with the figure', () => {
    const small = sheet((p) => p.map((x) => 0.6 * x)),
      open = (p: number[]) => turned(p, 25 * p[1] * 10),
      found = transferred(small, other.rest, open, 0.03, 0.6);
    expect(
      farthest(
        found,
        points(other.rest).map((p) => open(p).map((x) => 0.6 * x)),
      ),
    ).toBeLessThan(2e-6);
  });
  it('turn a broader figure as a whole where the other turns as a whole, and no side changes its length', () => {
    const tilt = (p: number[]) => turned([p[0], p[1], p[2]], 30),
      roll = ([x, y, z]: number[]) => {
        const [a, b, c] = turned([z, x, y], 20);
        return [b, c, a];
      };
    for (const move of [tilt, roll]) {
      const found = transferred(broad, other.rest, move, 50),
        // As a whole it may lie anywhere: what turns says nothing of that.
        middle = (all: readonly number[][]) => [0, 1, 2].map((k) => all.reduce((sum, p) => sum + p[k], 0) / all.length),
        wanted = points(broad.rest).map(move),
        [from, to] = [middle(found), middle(wanted)];
      expect(
        farthest(
          found.map((p) => p.map((x, k) => x - from[k])),
          wanted.map((p) => p.map((x, k) => x - to[k])),
        ),
      ).toBeLessThan(1e-5);
    }
  });
  it('follow how far the other goes where that decides', () => {
    const roll = ([x, y, z]: number[]) => {
        const [a, b, c] = turned([z, x, y], 20);
        return [b, c, a];
      },
      found = transferred(broad, other.rest, roll, 0.0005),
      plain = points(broad.rest).map((p, v) => {
        const q = [...other.rest.subarray(v * 3, v * 3 + 3)];
        return p.map((x, k) => x + roll(q)[k] - q[k]);
      });
    expect(farthest(found, plain)).toBeLessThan(1e-3);
  });
  it('are not torn where the other’s triangles are squeezed to nothing', () => {
    // A fold: two rows of the other's lie as good as on each other, and its ends move a little apart.
    const places = Float32Array.from(
        points(other.rest).flatMap(([x, y, z]) => [x, y > 0.045 && y < 0.055 ? 0.042 + (y - 0.045) * 1e-4 : y, z]),
      ),
      lift = (p: number[]) => [p[0], p[1] + (p[1] > 0.0420004 ? 0.002 : 0), p[2]],
      found = transferred(other, places, lift, 0.03);
    expect(farthest(found, points(other.rest))).toBeLessThan(0.004);
  });
});
