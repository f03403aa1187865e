import { describe, expect, it } from 'vitest';
import type { Skeleton } from '../character/index.ts';
import { FacingTree } from '../geometry/index.ts';
import { curveAnchors } from './curves.ts';
import { measureLoop, placesOfLoop } from './loops.ts';
import { type Mesh, meshOf } from './mesh.ts';
import { loopOn } from './loop-on.ts';
import { namedLoops } from './named-loops.ts';
import type { Skin } from './skin.ts';

/** Millimetres between lines of the sheet. */
const STEP = 1;
const EYES = { y: 1.65, z: 0.09 };
/** Whether a place of the sheet lies in an ellipse about (x, y), half axes a and b, and how far: 0 in its middle, 1 on its rim. */
const inside = (x: number, y: number, [cx, cy, a, b]: readonly number[]) => Math.hypot((x - cx) / a, (y - cy) / b);
const SOCKETS = [-0.032, 0.032].map((x) => [x, EYES.y, 0.012, 0.007] as const);
const NOSTRILS = [-0.008, 0.008].map((x) => [x, EYES.y - 0.04, 0.004, 0.003] as const);
const MOUTH = [0, EYES.y - 0.07, 0.024, 0.003] as const;

/** A flat face before the eyes, with holes for eyes; openness as though mouth and nostrils were hollows in it. */
function face(step = STEP, nostrils: readonly (readonly number[])[] = NOSTRILS) {
  const wide = Math.round(100 / step),
    positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= wide; j++)
    for (let i = 0; i <= wide; i++)
      positions.push(-0.05 + (i * step) / 1000, EYES.y - 0.08 + (j * step) / 1000, EYES.z + 0.01);
  for (let j = 0; j < wide; j++)
    for (let i = 0; i < wide; i++) {
      const a = j * (wide + 1) + i,
        x = positions[a * 3] + step / 2000,
        y = positions[a * 3 + 1] + step / 2000;
      if (SOCKETS.some((socket) => inside(x, y, socket) < 1)) continue;
      indices.push(a, a + 1, a + wide + 2, a, a + wide + 2, a + wide + 1);
    }
  const mesh = meshOf(Float32Array.from(positions), Uint32Array.from(indices)),
    open = Float64Array.from({ length: mesh.points }, (_, p) => {
      const [x, y] = mesh.places.subarray(p * 3, p * 3 + 2);
      return Math.min(1, ...[MOUTH, ...nostrils].map((hollow) => 0.35 * inside(x, y, hollow) ** 2));
    });
  return { skin: skinWith(mesh), open };
}

function skinWith(mesh: Mesh, nails: Mesh | null = null) {
  const places = [
      ['leftEye', [0.032, EYES.y, EYES.z]],
      ['rightEye', [-0.032, EYES.y, EYES.z]],
      ['leftIndexDistal', [0.02, EYES.y + 0.01, EYES.z]],
    ] as const,
    global = new Float64Array(places.length * 16);
  places.forEach(([, at], i) => {
    global.set(at, i * 16 + 12);
  });
  return {
    mesh,
    nails,
    deformer: { ranges: [], indices: new Uint32Array(0) },
    skeleton: { global } as unknown as Skeleton,
    roles: new Map(places.map(([role], i) => [role, i])),
  } as unknown as Skin;
}
const at = (skin: Skin, loop: Parameters<typeof placesOfLoop>[0]) => measureLoop(placesOfLoop(loop, skin.mesh.places));

describe('loops of a skin', () => {
  it('are found by shape and called by what they run about', () => {
    const { skin, open } = face(),
      found = new Map(namedLoops(skin, open).map(({ name, loop }) => [name, at(skin, loop)]));
    expect([...found.keys()]).toEqual(['Lips', 'Eyelids left', 'Eyelids right', 'Nostril left', 'Nostril right']);
    for (const [name, [x, y]] of [
      ['Lips', MOUTH],
      ['Eyelids right', SOCKETS[0]],
      ['Eyelids left', SOCKETS[1]],
      ['Nostril right', NOSTRILS[0]],
      ['Nostril left', NOSTRILS[1]],
    ] as const) {
      const { middle } = found.get(name) as NonNullable<ReturnType<typeof at>>;
      expect(Math.abs(middle[0] - x)).toBeLessThan(0.001);
      expect(Math.abs(middle[1] - y)).toBeLessThan(0.001);
    }
    // An ellipse of 24 × 3, where openness crosses its level at (0.3 / 0.35)^½ of it.
    expect(found.get('Lips')?.length).toBeGreaterThan(0.085);
    expect(found.get('Lips')?.length).toBeLessThan(0.1);
  });
  it('are none of a face without eyes, and one hollow beside the nose is no nostril', () => {
    const { skin, open } = face();
    expect(namedLoops({ ...skin, roles: new Map() }, open)).toEqual([]);
    const scarred = face(STEP, NOSTRILS.slice(1));
    expect(namedLoops(scarred.skin, scarred.open).map(({ name }) => name)).toEqual([
      'Lips',
      'Eyelids left',
      'Eyelids right',
    ]);
  });
  it('follow the outline of a nail that lies over it, by the finger that it is on', () => {
    const { skin, open } = face(),
      ring = Array.from({ length: 20 }, (_, i) => (2 * Math.PI * i) / 20),
      plate = meshOf(
        Float32Array.from([
          0.02,
          EYES.y + 0.011,
          EYES.z + 0.012,
          ...ring.flatMap((turn) => [
            0.02 + 0.006 * Math.cos(turn),
            EYES.y + 0.011 + 0.006 * Math.sin(turn),
            EYES.z + 0.011,
          ]),
        ]),
        Uint32Array.from(ring.flatMap((_, i) => [0, 1 + i, 1 + ((i + 1) % 20)])),
      ),
      nail = namedLoops(skinWith(skin.mesh, plate), open).find(({ name }) => name === 'Index nail left');
    const { middle, length } = at(skin, (nail as NonNullable<typeof nail>).loop);
    expect(middle[0]).toBeCloseTo(0.02, 3);
    // On the edges of the skin beneath, so a little off the circle.
    expect(middle[2]).toBeCloseTo(EYES.z + 0.01, 6);
    expect(length).toBeGreaterThan(0.034);
    expect(length).toBeLessThan(0.05);
  });
});

describe('loops that hold a wrap', () => {
  const fine = face(),
    coarse = face(2),
    loops = (of: typeof fine) => namedLoops(of.skin, of.open),
    other = (by: readonly [number, number], skin = fine.skin): Skin['mesh'] => ({
      ...skin.mesh,
      places: skin.mesh.places.map((x, k) => x + (k % 3 < 2 ? by[k % 3] : 0)),
    });
  it('take points beside one to the other of that name, which lies elsewhere', () => {
    const mesh = other([0.004, -0.003]),
      { anchors, curves } = curveAnchors({ mesh: coarse.skin.mesh, loops: loops(coarse) }, coarse.skin.mesh.places, {
        mesh,
        loops: loops(fine),
      });
    expect(curves.both.filter(Boolean)).toEqual([
      'Lips',
      'Eyelids left',
      'Eyelids right',
      'Nostril left',
      'Nostril right',
    ]);
    expect(anchors.length).toBeGreaterThan(40);
    for (const { point, to } of anchors) {
      const [x, y] = coarse.skin.mesh.places.subarray(point * 3, point * 3 + 2);
      expect(Math.hypot(to[0] - x - 0.004, to[1] - y + 0.003)).toBeLessThan(0.0035);
    }
  });
  it('do so whichever way round somebody drew one', () => {
    const own = loops(coarse).filter(({ name }) => name === 'Lips'),
      turned = loops(fine).map((one) => ({
        ...one,
        loop: { from: one.loop.from.toReversed(), to: one.loop.to.toReversed(), share: one.loop.share.toReversed() },
      })),
      goals = (theirs: ReturnType<typeof loops>) =>
        curveAnchors({ mesh: coarse.skin.mesh, loops: own }, coarse.skin.mesh.places, {
          mesh: other([0.004, 0]),
          loops: theirs,
        })
          .anchors.sort((a, b) => a.point - b.point)
          .flatMap(({ to }) => [...to]);
    const straight = goals(loops(fine));
    goals(turned).forEach((x, k) => {
      expect(x).toBeCloseTo(straight[k], 4);
    });
  });
  it('but not what is let go of, nor what lies elsewhere altogether, and tell what has no counterpart', () => {
    const own = loops(coarse).map((one) => ({ ...one, holds: one.name !== 'Lips' })),
      told = (by: readonly [number, number], theirs = loops(fine)) =>
        curveAnchors({ mesh: coarse.skin.mesh, loops: own }, coarse.skin.mesh.places, {
          mesh: other(by),
          loops: theirs,
        }).curves;
    expect(told([0, 0]).both).not.toContain('Lips');
    expect(told([0, 0]).alone).toEqual([]);
    expect(
      told(
        [0, 0],
        loops(fine).filter(({ name }) => !/Nostril/.test(name)),
      ).alone,
    ).toEqual(['Nostril left', 'Nostril right']);
    expect(told([0.04, 0]).alone).toContain('Eyelids left');
  });
  it('are put on the edges that are nearest to where somebody said they run', () => {
    const { mesh } = fine.skin,
      [lips] = loops(fine),
      places = placesOfLoop(lips.loop, mesh.places),
      again = loopOn(
        mesh,
        new FacingTree(mesh.places, mesh.corners),
        places.map((x) => Math.round(x * 1e5) / 1e5),
      );
    placesOfLoop(again, mesh.places).forEach((x, k) => {
      expect(Math.abs(x - places[k])).toBeLessThan(2e-5);
    });
  });
});
