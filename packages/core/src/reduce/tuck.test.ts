import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts } from '../character/index.ts';
import { vertexNormals } from '../geometry/index.ts';
import { jointRoles, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import { addPart, vec3 } from '../testing/add-part.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { lookUnderClothes, tuckUnderClothes } from './tuck.ts';

/** How far the trousers lie above the skin. */
const OFF = 0.004,
  RINGS = 60,
  SIDES = 24,
  RADIUS = 0.05,
  KNEE = 0.5;
const heightOf = (ring: number): number => 0.88 - (0.76 * ring) / RINGS;
const TUBE = (RINGS + 1) * SIDES;
/** What the trousers leave bare: a hand's breadth at both ends, and a hand that lies on them. */
const isBare = (v: number): boolean => v >= TUBE || Math.floor(v / SIDES) < 8 || Math.floor(v / SIDES) > RINGS - 8;

/** One leg of a person, a tube that bends softly at the knee, in close trousers of the same tube, vertex for vertex. */
function dressed() {
  const document = stickFigure(),
    old = document
      .getRoot()
      .listNodes()
      .find((one) => one.getMesh()),
    rig = old?.getSkin();
  if (!rig) throw new Error('a stick figure has a skin');
  old?.dispose();
  const joints = rig.listJoints().map((joint) => joint.getName()),
    at: number[] = [],
    normals: number[] = [],
    hung: number[] = [],
    weights: number[] = [],
    indices: number[] = [],
    worn: number[] = [];
  for (let ring = 0; ring <= RINGS; ring++)
    for (let side = 0; side < SIDES; side++) {
      const a = (2 * Math.PI * side) / SIDES,
        y = heightOf(ring),
        below = Math.max(0, Math.min(1, (KNEE + 0.06 - y) / 0.12));
      at.push(0.095 + RADIUS * Math.sin(a), y, RADIUS * Math.cos(a));
      normals.push(Math.sin(a), 0, Math.cos(a));
      hung.push(joints.indexOf('leftUpperLeg'), joints.indexOf('leftLowerLeg'), 0, 0);
      weights.push(1 - below, below, 0, 0);
      if (ring === RINGS) continue;
      const v = ring * SIDES + side,
        next = ring * SIDES + ((side + 1) % SIDES);
      for (const corners of [
        [v, v + SIDES, next],
        [next, v + SIDES, next + SIDES],
      ]) {
        indices.push(...corners);
        if (!corners.some(isBare)) worn.push(...corners);
      }
    }
  for (const [x, y] of [
    [0, 0],
    [0.04, 0],
    [0, 0.06],
    [0.04, 0.06],
  ]) {
    at.push(0.075 + x, KNEE + 0.1 + y, RADIUS + OFF + 0.025);
    normals.push(0, 0, 1);
    hung.push(joints.indexOf('leftUpperLeg'), 0, 0, 0);
    weights.push(1, 0, 0, 0);
  }
  indices.push(TUBE, TUBE + 1, TUBE + 2, TUBE + 2, TUBE + 1, TUBE + 3);
  const put = (name: string, positions: readonly number[], corners: readonly number[], own: readonly number[]) => {
    const prim = addPart(document, name, name === 'Body' ? 'Skin_Body' : 'Trousers_Wool', {
      positions,
      indices: corners,
    });
    const vec4 = (array: Uint16Array | Float32Array) =>
      document
        .createAccessor()
        .setType('VEC4')
        .setArray(array as Float32Array<ArrayBuffer>);
    prim.setAttribute('JOINTS_0', vec4(Uint16Array.from(hung))).setAttribute('WEIGHTS_0', vec4(Float32Array.from(own)));
    document
      .getRoot()
      .listNodes()
      .find((node) => node.getName() === name)
      ?.setSkin(rig);
    return prim;
  };
  const skin = put('Body', at, indices, weights),
    cloth = put(
      'Trousers',
      at.map((x, i) => x + OFF * normals[i]),
      worn,
      weights,
    );
  return { document, skin, cloth, at, normals, indices, weights, worn: new Set(worn) };
}
const along = (a: ArrayLike<number>, b: ArrayLike<number>, n: ArrayLike<number>, v: number): number =>
  [0, 1, 2].reduce((sum, k) => sum + (a[v * 3 + k] - b[v * 3 + k]) * n[v * 3 + k], 0);

describe('skin under clothes that were reduced', () => {
  it('is told from what shows', () => {
    const { document, at } = dressed(),
      found = lookUnderClothes(document);
    expect(listParts(document).map(({ name, role }) => [name, role])).toEqual([
      ['Body', 'body'],
      ['Trousers', 'garment'],
    ]);
    let covered = 0;
    for (let v = 0; v < at.length / 3; v++) {
      if (found?.covered[v]) covered++;
      expect(found?.covered[v], `${v}`).toBe(isBare(v) ? 0 : 1);
    }
    expect(covered).toBe((RINGS - 15) * SIDES);
  });
  it('goes in where it came through, by no more than that takes, and stays where it shows or lies under cloth', () => {
    const { document, skin, at, normals } = dressed(),
      before = lookUnderClothes(document);
    if (!before) throw new Error('nothing is worn');
    // Some rings stand out, as corners do when chords are drawn between them.
    const out = at.map((x, i) => (i >= TUBE * 3 || Math.floor(i / 3 / SIDES) % 3 ? x : x + 0.009 * normals[i]));
    skin.setAttribute('POSITION', vec3(document, out));
    const told = tuckUnderClothes(document, before),
      now = floatsOf(skin.getAttribute('POSITION') as never);
    let through = 0,
      moved = 0;
    for (let v = 0; v < at.length / 3; v++) {
      const by = -along(now, out, normals, v);
      if (by > 1e-6) moved++;
      if (isBare(v)) expect(by).toBeLessThan(1e-6);
      // Beside what shows nothing gives way.
      else if (Math.floor(v / SIDES) > 9 && Math.floor(v / SIDES) < RINGS - 9 && along(now, at, normals, v) > OFF)
        through++;
      // It stood out by 5 mm, and a millimetre is left between; where one corner alone gives way, it gives for two.
      expect(by).toBeLessThan(0.0125);
    }
    expect(told.vertices).toBe(moved);
    expect(moved).toBeGreaterThan(12 * SIDES);
    expect(through).toBe(0);
  });
  it('stays where nothing was done to it, but where the back of a bent knee folds into itself', () => {
    const { document, skin, at } = dressed(),
      before = lookUnderClothes(document);
    if (!before) throw new Error('nothing is worn');
    expect(tuckUnderClothes(document, before).vertices).toBeLessThan(0.02 * at.length);
    const now = floatsOf(skin.getAttribute('POSITION') as never);
    for (let i = 0; i < at.length; i += 3)
      if (Math.abs(at[i + 1] - KNEE) > 0.06 || at[i + 2] > 0)
        expect([...now.subarray(i, i + 3)]).toEqual([...Float32Array.from(at.slice(i, i + 3))]);
  });
  it('goes in where it comes through only as a limb bends', () => {
    const { document, skin, cloth, at, indices, weights, worn } = dressed(),
      before = lookUnderClothes(document);
    if (!before) throw new Error('nothing is worn');
    // The trousers bend over a longer stretch of the leg.
    cloth.setAttribute(
      'WEIGHTS_0',
      document
        .createAccessor()
        .setType('VEC4')
        .setArray(
          Float32Array.from(weights, (_, i) => {
            const below = Math.max(0, Math.min(1, (KNEE + 0.09 - at[(i >> 2) * 3 + 1]) / 0.18));
            return [1 - below, below, 0, 0][i % 4];
          }),
        ),
    );
    const comesThrough = () => {
      const deformer = createDeformer(document),
        { skeleton } = deformer,
        squat = RANGE_OF_MOTION.find(({ name }) => name === 'squat'),
        posed = deformer.evaluate(
          new Float32Array(deformer.vertices * 3),
          {},
          squat && poseSkeleton(skeleton, roleIndex(jointRoles(document, skeleton)), squat),
        ),
        [body, trousers] = ['Body', 'Trousers'].map((part) =>
          deformer.ranges.find((range) => range.part.name === part),
        ),
        of = (range: typeof body) =>
          posed.subarray((range?.firstVertex ?? 0) * 3, ((range?.firstVertex ?? 0) + (range?.vertices ?? 0)) * 3),
        normals = vertexNormals(of(trousers), indices);
      let count = 0;
      for (const v of worn) if (before.covered[v] && along(of(body), of(trousers), normals, v) > 0.0002) count++;
      return count;
    };
    const was = comesThrough();
    expect(was).toBeGreaterThan(10);
    expect(tuckUnderClothes(document, before).vertices).toBeGreaterThan(0);
    expect(comesThrough()).toBeLessThan(was * 0.5);
    expect(floatsOf(skin.getAttribute('POSITION') as never)).toHaveLength(at.length);
  });
  it('is left alone where nothing is worn', () => {
    expect(lookUnderClothes(stickFigure())).toBeNull();
  });
});
