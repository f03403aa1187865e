import type { Document } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { copyDocument, floatsOf, jointPosition, listParts, skeletonOf, trianglesOf } from '../../character/index.ts';
import { standAsFound } from '../../rig/index.ts';
import { stickFigure } from '../../testing/stick-figure.ts';
import { REGIONS } from '../body-regions.ts';
import { prepareMix } from './prepare.ts';
import { mixInto } from './mix.ts';
import { ownPerson, personBeside } from './people.ts';
import { randomMix } from './random-mix.ts';
import { refuseOthers } from './refuse.ts';

/** The stick figure as somebody else: every place goes where `to` sends it, joints and binds too. */
function reshaped(to: (p: number[]) => number[], rings = 4): Document {
  const document = stickFigure({ rings }),
    { joints } = skeletonOf(document),
    [{ prim }] = listParts(document),
    places = joints.map((_, j) => to(jointPosition(skeletonOf(document), j))),
    skin = document.getRoot().listSkins()[0],
    at = new Map(joints.map((joint, j) => [joint, places[j]])),
    position = floatsOf(prim.getAttribute('POSITION') as never).slice();
  for (let i = 0; i < position.length; i += 3) position.set(to([...position.slice(i, i + 3)]), i);
  prim.setAttribute('POSITION', document.createAccessor().setType('VEC3').setArray(position));
  joints.forEach((joint, j) => {
    const above = at.get(joint.getParentNode() as never) ?? [0, 0, 0];
    joint.setTranslation([0, 1, 2].map((k) => places[j][k] - above[k]) as [number, number, number]);
  });
  skin.setInverseBindMatrices(
    document
      .createAccessor()
      .setType('MAT4')
      .setArray(
        Float32Array.from(
          skin.listJoints().flatMap((joint) => {
            const [x, y, z] = at.get(joint) as number[];
            return [1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0, -x, -y, -z, 1];
          }),
        ),
      ),
  );
  // As the step before has it.
  standAsFound(document);
  return document;
}
/** A fifth taller from the hips up, a tenth broader; feet where they were. */
const taller = ([x, y, z]: number[]): number[] => [x * 1.1, y > 0.9 ? 0.9 + (y - 0.9) * 1.2 : y, z * 1.15];
const place = (document: Document) => floatsOf(listParts(document)[0].prim.getAttribute('POSITION') as never);
const normal = (document: Document) => floatsOf(listParts(document)[0].prim.getAttribute('NORMAL') as never);
const farthest = (a: ArrayLike<number>, b: ArrayLike<number>): number =>
  Math.max(...Array.from(a, (value, i) => Math.abs(value - b[i])));
const jointsOf = (document: Document) => {
  const skeleton = skeletonOf(document);
  return skeleton.joints.flatMap((_, j) => jointPosition(skeleton, j));
};

/** The figure with its vertices in another order. */
function renumbered(document: Document, withPlaces: boolean): Document {
  const copy = copyDocument(document),
    [{ prim }] = listParts(copy),
    count = prim.getAttribute('POSITION')?.getCount() ?? 0,
    // 7 shares no factor with the count, or every vertex would not be met.
    step = [7, 11, 13, 17].find((n) => count % n) as number,
    from = Uint32Array.from({ length: count }, (_, i) => (i * step + 5) % count),
    to = new Uint32Array(count);
  from.forEach((old, now) => {
    to[old] = now;
  });
  for (const target of [prim, ...prim.listTargets()])
    for (const name of target.listSemantics()) {
      const accessor = target.getAttribute(name);
      if (!accessor) continue;
      const size = accessor.getElementSize(),
        old = accessor.getArray() as Float32Array,
        array = old.slice();
      from.forEach((v, now) => {
        for (let k = 0; k < size; k++) array[now * size + k] = old[v * size + k];
      });
      target.setAttribute(name, copy.createAccessor().setType(accessor.getType()).setArray(array));
    }
  const indices = trianglesOf(prim);
  // Triangles come in another order too.
  const turned = [...indices.slice(300), ...indices.slice(0, 300)].map((v) => to[v]);
  prim.setIndices(copy.createAccessor().setType('SCALAR').setArray(Uint32Array.from(turned)));
  if (!withPlaces) prim.setAttribute('TEXCOORD_0', null);
  return copy;
}

describe('a mix of two figures', () => {
  const other = reshaped(taller),
    fine = reshaped(taller, 8);
  it('is each of them at the ends, and plain mixing where the weight is the same everywhere', () => {
    for (const all of [0, 0.3, 1]) {
      const own = reshaped((p) => p),
        [before, joints] = [place(own).slice(), jointsOf(own)],
        { mix } = mixInto(own, [{ document: other, name: 'other', weights: { all } }]);
      const wanted = before.map((value, i) => value + all * (place(other)[i] - value));
      expect(farthest(place(own), wanted)).toBeLessThan(2e-7);
      expect(
        farthest(
          jointsOf(own),
          joints.map((value, i) => value + all * (jointsOf(other)[i] - value)),
        ),
      ).toBeLessThan(2e-4);
      expect(mix.border).toBe(Infinity);
      expect(mix.strain).toBe(0);
    }
  });
  it('has the other’s normals at that end, and unit ones everywhere', () => {
    const own = reshaped((p) => p);
    mixInto(own, [{ document: other, name: 'other', weights: { all: 1 } }]);
    expect(farthest(normal(own), normal(other))).toBeLessThan(1e-4);
    const half = reshaped((p) => p);
    mixInto(half, [{ document: other, name: 'other', weights: { torso: 0.7, legs: 0.2 } }]);
    for (let i = 0; i < normal(half).length; i += 3)
      expect(Math.hypot(...normal(half).slice(i, i + 3))).toBeCloseTo(1, 4);
  });
  it('joins the arms of one to the body of another: edges are each one’s own away from the border, and no place is torn', () => {
    const own = reshaped((p) => p, 8),
      before = place(own).slice(),
      { prepared, mix } = mixInto(own, [{ document: fine, name: 'other', weights: { arms: 1, hands: 1 } }], {
        softness: 0.5,
      }),
      after = place(own),
      indices = trianglesOf(listParts(own)[0].prim);
    let [mine, theirs, plain] = [0, 0, 0];
    for (let t = 0; t < indices.length; t += 3) {
      const [a, b] = [indices[t], indices[t + 1]],
        w = [a, b].map((v) => mix.shares[0][v]),
        edge = (p: ArrayLike<number>) => Math.hypot(...[0, 1, 2].map((k) => p[a * 3 + k] - p[b * 3 + k]));
      if (Math.max(...w) < 0.001) mine = Math.max(mine, Math.abs(edge(after) / edge(before) - 1));
      if (Math.min(...w) > 0.999) theirs = Math.max(theirs, Math.abs(edge(after) / edge(place(fine)) - 1));
    }
    expect(mine).toBeLessThan(0.015);
    expect(theirs).toBeLessThan(0.015);
    // The other's arms hang higher: mixing places would tear the shoulder by the whole difference.
    prepared.skin.from.forEach((i, e) => {
      const [a, b] = [prepared.skin.vertexOf[i], prepared.skin.vertexOf[prepared.skin.to[e]]],
        d = Math.abs(mix.shares[0][a] - mix.shares[0][b]) * Math.abs(place(fine)[a * 3 + 1] - before[a * 3 + 1]);
      plain = Math.max(plain, d);
    });
    expect(plain).toBeGreaterThan(0.02);
    expect(mix.strain).toBeLessThan(0.5);
    expect(mix.border).toBeGreaterThan(0.01);
    expect(Math.min(...after.filter((_, i) => i % 3 === 1))).toBeCloseTo(
      Math.min(...before.filter((_, i) => i % 3 === 1)),
      4,
    );
  });
  it('knows the other by texture places and by how its triangles hang together, and gives the same', () => {
    const wanted = reshaped((p) => p, 8);
    mixInto(wanted, [{ document: fine, name: 'other', weights: { torso: 1, head: 1 } as never }]);
    for (const [withPlaces, by] of [
      [true, 'places'],
      [false, 'surface'],
    ] as const) {
      const own = reshaped((p) => p, 8),
        { prepared } = mixInto(own, [
          { document: renumbered(fine, withPlaces), name: 'other', weights: { torso: 1, head: 1 } as never },
        ]);
      expect(prepared.others[0].matches[0]?.by).toBe(by);
      expect(farthest(place(own), place(wanted))).toBeLessThan(by === 'places' ? 1e-4 : 1e-6);
    }
  });
  it('refuses what is built otherwise, and says so', () => {
    const own = ownPerson(stickFigure()),
      stranger = stickFigure({ rings: 9, sides: 7 });
    listParts(stranger)[0].prim.setAttribute('TEXCOORD_0', null);
    const prepared = prepareMix(own, [personBeside(stranger, 'Stranger', own)]);
    expect(() => refuseOthers(prepared)).toThrow("“Stranger” can't be mixed in");
  });
  it('mixes morphs with the shape, and brings those along that only the other has', () => {
    const own = reshaped((p) => p),
      theirs = reshaped(taller),
      [{ prim, mesh, morphNames }] = listParts(theirs),
      [target] = prim.listTargets(),
      delta = floatsOf(target.getAttribute('POSITION') as never).map((value) => value * 3),
      mine = floatsOf(listParts(own)[0].prim.listTargets()[0].getAttribute('POSITION') as never).slice();
    target.setAttribute('POSITION', theirs.createAccessor().setType('VEC3').setArray(delta));
    mesh.setExtras({
      ...mesh.getExtras(),
      targetNames: [morphNames[0], ...morphNames.slice(1).map((name) => `${name} of theirs`)],
    });
    const { came } = mixInto(own, [{ document: theirs, name: 'theirs', weights: { all: 0.5 } }]),
      [part] = listParts(own),
      mixed = floatsOf(part.prim.listTargets()[0].getAttribute('POSITION') as never);
    expect(
      farthest(
        mixed,
        mine.map((value) => value * 2),
      ),
    ).toBeLessThan(1e-6);
    expect(came).toEqual(
      morphNames
        .slice(1)
        .map((name) => `${name} of theirs`)
        .filter((name) => part.morphNames.includes(name)),
    );
    expect(came.length).toBe(morphNames.length - 1);
  });
  it('turns the other into this one’s pose first', () => {
    const own = reshaped((p) => p),
      raised = reshaped((p) => p),
      arm = skeletonOf(raised).joints.find((joint) => joint.getName() === 'leftUpperArm');
    arm?.setRotation([0, 0, Math.sin(0.3), Math.cos(0.3)]);
    const before = place(own).slice(),
      { prepared } = mixInto(own, [{ document: raised, name: 'raised', weights: { all: 1 } }]);
    expect(prepared.others[0].person.turnedDegrees).toBeGreaterThan(25);
    expect(farthest(place(own), before)).toBeLessThan(2e-3);
  });
  it('draws random mixes that add up, differ and come again with their seed', () => {
    const seen = new Set<string>();
    for (let seed = 1; seed <= 20; seed++) {
      const mix = randomMix(seed, 2);
      expect(randomMix(seed, 2)).toEqual(mix);
      seen.add(JSON.stringify(mix));
      for (const region of REGIONS) {
        const sum = (mix[0][region] ?? -1) + (mix[1][region] ?? -1);
        expect(sum).toBeGreaterThanOrEqual(0);
        expect(sum).toBeLessThanOrEqual(1.01);
      }
    }
    expect(seen.size).toBe(20);
  });
});
