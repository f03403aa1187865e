import { describe, expect, it } from 'vitest';
import type { HumanoidRole, Skeleton } from '../character/index.ts';
import { carriedByLimbs, limbMaps, type Placed } from './align.ts';
import { evenSides } from './even-sides.ts';
import { meshOf } from './mesh.ts';
import type { Skin } from './skin.ts';

const CUTS = 8,
  LEFT = 1,
  RIGHT = 2;

/** A bar along x from −1 to 1, square across, its two sides each other's mirror image; more points to the ends than in the middle. */
function bar() {
  const positions: number[] = [],
    indices: number[] = [],
    ring = [
      [0.1, 0.1],
      [-0.1, 0.1],
      [-0.1, -0.1],
      [0.1, -0.1],
    ];
  for (let i = -CUTS; i <= CUTS; i++)
    for (const [y, z] of ring) positions.push(Math.sign(i) * Math.abs(i / CUTS) ** 0.8, y, z);
  for (let i = 0; i < 2 * CUTS; i++)
    for (let k = 0; k < 4; k++) {
      const a = i * 4 + k,
        b = i * 4 + ((k + 1) % 4);
      // Diagonals mirrored too.
      if (i < CUTS) indices.push(a, b, b + 4, a, b + 4, a + 4);
      else indices.push(a, b, a + 4, b, b + 4, a + 4);
    }
  return { rest: Float32Array.from(positions), mesh: meshOf(Float32Array.from(positions), Uint32Array.from(indices)) };
}

function figure(right: [x: number, y: number]): Placed {
  const joints: [HumanoidRole, number, number, number][] = [
      ['hips', -1, 0, 0],
      ['leftUpperArm', 0, 0.2, 0],
      ['rightUpperArm', 0, -0.2, 0],
      ['leftLowerArm', 1, 0.6, 0],
      ['rightLowerArm', 2, ...right],
      ['leftEye', 0, 0.03, 0.2],
      ['rightEye', 0, -0.03, 0.2],
    ],
    global = new Float64Array(joints.length * 16);
  joints.forEach(([, , x, y], i) => global.set([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, x, y, 0, 1], i * 16));
  return {
    skeleton: {
      joints: joints.map(() => ({})),
      parent: Int32Array.from(joints, ([, parent]) => parent),
      global,
      index: new Map(),
    } as unknown as Skeleton,
    roles: new Map(joints.map(([role], i) => [role, i])),
  };
}

/** The bar laid on somebody whose right arm lies as said, then changed point by point. */
function laid(other: Placed, change: (x: number, y: number, z: number) => readonly number[]) {
  const body = figure([-0.6, 0]),
    { rest, mesh } = bar(),
    vertices = rest.length / 3,
    followed = {
      perVertex: 1,
      joints: Uint16Array.from({ length: vertices }, (_, v) =>
        Math.abs(rest[v * 3]) < 0.2 ? 0 : rest[v * 3] > 0 ? LEFT : RIGHT,
      ),
      weights: new Float32Array(vertices).fill(1),
    },
    maps = limbMaps(body, other),
    carriedTo = (positions: Float32Array) => {
      const all = carriedByLimbs(positions, followed, maps);
      return Float32Array.from([...mesh.vertexOf].flatMap((v) => [...all.subarray(v * 3, v * 3 + 3)]));
    },
    changed = Float32Array.from(
      Array.from({ length: vertices }, (_, v) => change(rest[v * 3], rest[v * 3 + 1], rest[v * 3 + 2])).flat(),
    ),
    aligned = carriedTo(rest),
    places = carriedTo(changed),
    skin: Pick<Skin, 'mesh' | 'followed' | 'skeleton' | 'roles'> = { ...body, mesh, followed };
  return { evened: evenSides(skin, maps, aligned, places), aligned, places, carriedTo, rest };
}
const near = (found: Float32Array, wanted: Float32Array) => {
  let off = 0;
  for (let k = 0; k < found.length; k++) off = Math.max(off, Math.abs(found[k] - wanted[k]));
  expect(off).toBeLessThan(1e-6);
};
const hangs = figure([-0.2, -0.4]);
/** Two sides halfway between left thicker by a tenth and right as it was. */
const halfway = (rest: Float32Array) =>
  rest.map((x, k) => (k % 3 === 0 ? x : x * (1 + 0.05 * Math.abs(rest[k - (k % 3)]))));

describe('both sides alike', () => {
  it('lie halfway between what left and right were', () => {
    const { evened, carriedTo, rest } = laid(figure([-0.6, 0]), (x, y, z) => {
      const thick = 1 + 0.1 * Math.max(0, x);
      return [x, y * thick, z * thick];
    });
    near(evened.places, carriedTo(halfway(rest)));
    expect(evened.alone).toBe(0);
    expect(evened.farthest).toBeCloseTo(0.05 * Math.hypot(0.1, 0.1), 6);
    expect(evened.moved).toBeLessThan(evened.farthest);
  });
  it('in the frame of each limb: an arm that hangs is compared with one held out, and goes on hanging', () => {
    const { evened, carriedTo, rest } = laid(hangs, (x, y, z) => {
      const thick = 1 + 0.1 * Math.max(0, x);
      return [x, y * thick, z * thick];
    });
    near(evened.places, carriedTo(halfway(rest)));
    // The right hand is down.
    expect(Math.min(...evened.places.filter((_, k) => k % 3 === 1))).toBeLessThan(-0.7);
  });
  it('stay as they are where they are alike, arms of different length too', () => {
    const { evened, places } = laid(figure([-0.75, 0]), (x, y, z) => [x, y * (1 + x * x), z]);
    near(evened.places, places);
    expect(evened.moved).toBeLessThan(1e-7);
  });
  it('what lies in the middle comes to lie in the middle', () => {
    const { evened, rest } = laid(figure([-0.6, 0]), (x, y, z) => [x + 0.01, y, z]);
    near(evened.places, rest);
    expect(evened.farthest).toBeCloseTo(0.01, 6);
  });
});
