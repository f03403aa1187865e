import { DistanceGatherer } from './surface-distance.ts';
import { Document, type Node } from '@gltf-transform/core';
import { describe, expect, it } from 'vitest';
import { createDeformer, floatsOf, listParts, updateDossier, copyDocument } from '../character/index.ts';
import { seededRandom, triangleArea } from '../geometry/index.ts';
import { RANGE_OF_MOTION } from '../rig/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import {
  compareCharacters,
  compareInventory,
  deviationByVertex,
  distanceWithin,
  MeasuredSurface,
  posedDistance,
  surfaceDistance,
} from './index.ts';

/** A sphere's surface, metres. */
function sphere(
  radius: number,
  n = 48,
  at: [number, number, number] = [0, 0, 0],
): { positions: Float32Array; indices: Uint32Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= n; j++)
    for (let i = 0; i <= n; i++) {
      const a = (Math.PI * j) / n,
        b = (2 * Math.PI * i) / n;
      positions.push(
        at[0] + radius * Math.sin(a) * Math.cos(b),
        at[1] + radius * Math.cos(a),
        at[2] + radius * Math.sin(a) * Math.sin(b),
      );
    }
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i,
        b = a + 1,
        c = b + n + 1,
        d = a + n + 1;
      indices.push(a, b, c, a, c, d);
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
/** A square metre, cut into n × n, lifted by `y`. */
function plate(
  n: number,
  y: number,
  height: (x: number, z: number) => number = () => 0,
): { positions: Float32Array; indices: Uint32Array } {
  const positions: number[] = [],
    indices: number[] = [];
  for (let j = 0; j <= n; j++) for (let i = 0; i <= n; i++) positions.push(i / n, y + height(i / n, j / n), j / n);
  for (let j = 0; j < n; j++)
    for (let i = 0; i < n; i++) {
      const a = j * (n + 1) + i,
        b = a + 1,
        c = b + n + 1,
        d = a + n + 1;
      indices.push(a, c, b, a, d, c);
    }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}
const measured = ({ positions, indices }: ReturnType<typeof sphere>, count = 4000, seed = 1) =>
  new MeasuredSurface(positions, indices, count, seed);

describe('a distance', () => {
  it('is RMS, 99th percentile and largest of what was met, and says where the largest was', () => {
    const gathered = new DistanceGatherer(1000);
    for (let i = 1; i <= 200; i++) gathered.take(i % 2 ? 'source' : 'result', i, i);
    gathered.take('source', 7, Number.NaN);
    const { rmsMm, p99Mm, maxMm, at } = gathered.finish();
    expect(rmsMm).toBeCloseTo(Math.sqrt((201 * 401) / 6), 3);
    // The 199th of 200.
    expect(p99Mm).toBe(199);
    expect(maxMm).toBe(200);
    expect(at).toEqual({ side: 'result', triangle: 200 });
    expect(new DistanceGatherer(4).finish()).toEqual({ rmsMm: 0, p99Mm: 0, maxMm: 0, at: null });
  });
});

describe('the distance of two surfaces', () => {
  it('is the gap of two parallel plates, everywhere', () => {
    expect(surfaceDistance(measured(plate(4, 0)), measured(plate(7, 0.003)))).toMatchObject({
      rmsMm: 3,
      p99Mm: 3,
      maxMm: 3,
    });
  });
  it('of spheres about one middle is the difference of their radii, but for their facets', () => {
    const found = surfaceDistance(measured(sphere(0.5, 96)), measured(sphere(0.505, 96)));
    expect(found.rmsMm).toBeCloseTo(5, 1);
    expect(found.maxMm).toBeLessThan(5.6);
  });
  it('is nothing for one surface cut into other polygons', () => {
    expect(surfaceDistance(measured(plate(3, 0)), measured(plate(16, 0))).maxMm).toBe(0);
  });
  it('of a tent over a plate has the mean square that integration gives: h/√8', () => {
    const tent = plate(2, 0, (x, z) => (x === 0.5 && z === 0.5 ? 0.01 : 0)),
      found = surfaceDistance(measured(plate(1, 0), 0), measured(tent, 40_000));
    // Six of the eight faces meet at the tip; on each the height falls evenly, which has the mean square h²/6.
    expect(found.rmsMm).toBeCloseTo(10 / Math.sqrt(8), 1);
    expect(found.maxMm).toBeGreaterThan(9.5);
    expect(found.maxMm).toBeLessThanOrEqual(10);
  });
  it('looks from both sides: what only one has is found', () => {
    const whole = plate(10, 0),
      half = { ...whole, indices: whole.indices.slice(0, whole.indices.length / 2) };
    const there = surfaceDistance(measured(whole), measured(half)),
      back = surfaceDistance(measured(half), measured(whole));
    for (const found of [there, back]) {
      expect(found.maxMm).toBeGreaterThan(400);
      expect(found.maxMm).toBeLessThan(510);
    }
    expect(there.at?.side).toBe('source');
    expect(back.at?.side).toBe('result');
  });
  it('names the triangle that is furthest off', () => {
    const bent = plate(10, 0, (x, z) => (Math.abs(x - 0.7) < 0.01 && Math.abs(z - 0.2) < 0.01 ? 0.05 : 0)),
      found = surfaceDistance(measured(plate(10, 0)), measured(bent));
    const corners = [0, 1, 2].map((k) => bent.indices[(found.at?.triangle ?? 0) * 3 + k]);
    expect(found.at?.side).toBe('result');
    expect(
      corners.some(
        (v) => Math.abs(bent.positions[v * 3] - 0.7) < 0.01 && Math.abs(bent.positions[v * 3 + 2] - 0.2) < 0.01,
      ),
    ).toBe(true);
  });
  it('is nothing, and nowhere, where there is no surface at all', () => {
    expect(
      surfaceDistance(measured({ positions: new Float32Array(0), indices: new Uint32Array(0) }), measured(plate(1, 0))),
    ).toEqual({ rmsMm: 0, p99Mm: 0, maxMm: 0, at: null });
  });
  it('gives the same numbers for the same seed, and nearly the same for others', () => {
    const of = (seed: number) =>
      surfaceDistance(measured(sphere(0.5), 8000, seed), measured(sphere(0.49, 30), 8000, seed)).rmsMm;
    expect(of(3)).toBe(of(3));
    expect(Math.abs(of(3) - of(4)) / of(3)).toBeLessThan(0.02);
  });
  it('knows what moved, along each axis alone', () => {
    const square = Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0, 5, 0, 0, 6, 0, 0, 5, 1, 0),
      surface = new MeasuredSurface(square, Uint32Array.of(0, 1, 2, 3, 4, 5), 20, 1);
    for (let axis = 0; axis < 3; axis++)
      for (const corner of [3, 4, 5]) {
        const posed = square.slice();
        posed[corner * 3 + axis] += 0.01;
        surface.pose(posed);
        expect([...surface.moved]).toEqual([0, 1]);
      }
    surface.pose(square);
    expect([...surface.moved]).toEqual([0, 0]);
  });
  it('follows a surface that moves, all of it or a part', () => {
    const flat = plate(10, 0),
      up = Float32Array.from(flat.positions, (x, i) => (i % 3 === 1 ? x + 0.002 : x)),
      a = measured(flat),
      b = measured(flat);
    expect(surfaceDistance(a, b).maxMm).toBe(0);
    b.pose(up);
    expect(posedDistance(a, b).rmsMm).toBeCloseTo(2, 4);
    b.stand();
    expect(posedDistance(a, b).maxMm).toBe(0);
    // One row of squares rises by a centimetre; only there it is measured.
    const rows = Float32Array.from(flat.positions, (x, i) => (i % 3 === 1 && flat.positions[i + 1] < 0.05 ? 0.01 : x)),
      moved = Uint32Array.from({ length: 20 }, (_, t) => t);
    b.moveSome(rows, moved);
    const within = distanceWithin(a, b, moved, moved, 3000, 1);
    expect(within.maxMm).toBeGreaterThan(9);
    expect(within.rmsMm).toBeGreaterThan(surfaceDistance(a, b).rmsMm * 1.5);
  });
});

describe('posedDistance', () => {
  /** As a surface that knows nothing of its rest pose is measured: every triangle is looked at anew. */
  const anew = (shapes: readonly { at: Float32Array; on: ReturnType<typeof plate> }[]) => {
    const [a, b] = shapes.map(({ at, on }) => {
      const surface = measured(on, 3000);
      surface.moveSome(
        at,
        Uint32Array.from({ length: on.indices.length / 3 }, (_, t) => t),
      );
      return surface;
    });
    return surfaceDistance(a, b);
  };
  it('finds what measuring anew finds, whatever moved: nothing, a part of either side, all of both', () => {
    const one = plate(12, 0),
      two = plate(9, 0.003),
      a = measured(one, 3000),
      b = measured(two, 3000);
    surfaceDistance(a, b);
    const bent = ({ positions }: typeof one, from: number, by: number) =>
      Float32Array.from(positions, (x, i) =>
        i % 3 === 1 && positions[i - 1] > from ? x + by * Math.sin(9 * positions[i + 1]) : x,
      );
    for (const [fromA, byA, fromB, byB] of [
      [9, 0, 9, 0],
      [0.6, 0.2, 9, 0],
      [9, 0, 0.3, -0.3],
      [0.5, 0.1, 0.7, 0.4],
      [-1, 0.3, -1, 0.31],
    ]) {
      const atA = bent(one, fromA, byA),
        atB = bent(two, fromB, byB);
      a.pose(atA);
      b.pose(atB);
      expect(posedDistance(a, b)).toEqual(
        anew([
          { at: atA, on: one },
          { at: atB, on: two },
        ]),
      );
      a.stand();
      b.stand();
    }
  });
  it('sees what comes near to something that stands still', () => {
    // The far half of the one folds over onto its near half, which doesn't move, and nor does the other side there.
    const flat = plate(10, 0),
      above = plate(10, 0.1),
      a = measured(above, 3000),
      b = measured(flat, 3000);
    surfaceDistance(a, b);
    const folded = Float32Array.from(flat.positions, (x, i) => {
      const at = flat.positions[i - (i % 3)];
      return at <= 0.5 ? x : i % 3 === 0 ? 1 - x : i % 3 === 1 ? 0.09 : x;
    });
    b.pose(folded);
    expect(posedDistance(a, b)).toEqual(
      anew([
        { at: above.positions, on: above },
        { at: folded, on: flat },
      ]),
    );
  });
});

describe('a character against a changed self', () => {
  const moved = (by: number): Document => {
    const document = stickFigure();
    for (const { prim } of listParts(document)) {
      const position = prim.getAttribute('POSITION');
      if (position)
        position.setArray(floatsOf(position).map((x, i) => (i % 3 === 2 ? x + by : x)) as Float32Array<ArrayBuffer>);
    }
    return document;
  };
  it('is off by no more than the mesh was pushed, at rest and in every pose', async () => {
    const { shape } = await compareCharacters(stickFigure(), moved(0.004), { samples: 1500 });
    expect(shape.rest.maxMm).toBeGreaterThan(2);
    for (const row of [shape.rest, ...shape.poses]) {
      expect(row.rmsMm).toBeGreaterThan(0.5);
      expect(row.maxMm).toBeLessThanOrEqual(4.3);
    }
    expect(shape.poses).toHaveLength(RANGE_OF_MOTION.length);
    expect(shape.rest.where).toBe('Body');
  });
  it('finds a morph that was halved, and by how much', async () => {
    const source = stickFigure(),
      result = copyDocument(source),
      [target] = listParts(result)[0].prim.listTargets(),
      delta = target.getAttribute('POSITION');
    const most = floatsOf(delta as never).reduce((max, x) => Math.max(max, Math.abs(x)), 0) * 1000;
    delta?.setArray(floatsOf(delta).map((x) => x / 2) as Float32Array<ArrayBuffer>);
    const { shape } = await compareCharacters(source, result, { samples: 800 });
    expect(shape.rest.maxMm).toBe(0);
    expect(shape.morphs[0].maxMm).toBeGreaterThan(most / 8);
    expect(shape.morphs[0].maxMm).toBeLessThanOrEqual(most / 2 + 0.01);
  });
  it('finds a joint that stands wrong in the poses that turn it, and in no other', async () => {
    const source = stickFigure(),
      result = copyDocument(source),
      elbow = result
        .getRoot()
        .listNodes()
        .find((node) => node.getName() === 'leftLowerArm');
    if (!elbow) throw new Error('no elbow');
    // The elbow's pivot slides up the arm by two centimetres; bind and children go along, so that at rest nothing moves.
    const t = elbow.getTranslation();
    elbow.setTranslation([t[0] - 0.014, t[1] + 0.014, t[2]]);
    for (const child of elbow.listChildren()) {
      const c = child.getTranslation();
      child.setTranslation([c[0] + 0.014, c[1] - 0.014, c[2]]);
    }
    const [skin] = result.getRoot().listSkins(),
      binds = skin.getInverseBindMatrices(),
      at = skin.listJoints().indexOf(elbow),
      array = Float32Array.from(binds?.getArray() ?? []);
    array[at * 16 + 12] += 0.014;
    array[at * 16 + 13] -= 0.014;
    binds?.setArray(array);
    const { shape } = await compareCharacters(source, result, { samples: 1500 }),
      pose = (name: string) => shape.poses.find((row) => row.name === name)?.maxMm ?? -1;
    expect(shape.rest.maxMm).toBeLessThan(0.001);
    expect(pose('elbows bent')).toBeGreaterThan(5);
    for (const name of ['squat', 'looking down', 'arms raised', 'fists']) expect(pose(name), name).toBeLessThan(0.01);
  });
  it('can be stopped', async () => {
    const stop = new AbortController();
    await expect(
      compareCharacters(stickFigure(), stickFigure(), {
        samples: 200,
        signal: stop.signal,
        progress: () => stop.abort(),
      }),
    ).rejects.toThrow();
  });
  it('says how far it is, never back', async () => {
    const seen: number[] = [];
    await compareCharacters(stickFigure(), stickFigure(), {
      samples: 100,
      progress: (fraction) => seen.push(fraction),
    });
    expect(seen.length).toBeGreaterThan(10);
    expect(seen.every((value, i) => value >= 0 && value <= 1 && (i === 0 || value >= seen[i - 1]))).toBe(true);
  });
});

describe('the heat map', () => {
  it('is warm where a vertex was moved, and nowhere else', () => {
    const source = stickFigure(),
      result = copyDocument(source),
      position = listParts(result)[0].prim.getAttribute('POSITION'),
      random = seededRandom(2),
      chosen = Math.floor(random() * ((position?.getCount() ?? 1) - 1));
    const array = floatsOf(position as never).slice();
    array[chosen * 3] += 0.03;
    array[chosen * 3 + 1] += 0.03;
    position?.setArray(array as Float32Array<ArrayBuffer>);
    const found = deviationByVertex(source, result),
      own = found.source.get('Body') as Float32Array,
      carried = found.result.get('Body') as Float32Array;
    expect(own.length).toBe(array.length / 3);
    expect(carried.length).toBe(array.length / 3);
    expect(Math.max(...own)).toBeGreaterThan(1);
    expect(Math.max(...own)).toBeLessThan(43);
    // Far from the vertex that moved nothing differs.
    const far = Array.from(own).filter(
      (_, v) => Math.hypot(array[v * 3] - array[chosen * 3], array[v * 3 + 1] - array[chosen * 3 + 1]) > 0.3,
    );
    expect(Math.max(...far)).toBeLessThan(1e-9);
  });
  it('paints as much beyond a limit as lies beyond it', () => {
    // A figure whose left half is moved by 12 mm: what lies beyond 4 mm is the share of its surface there.
    const source = stickFigure({ rings: 24, sides: 24 }),
      result = copyDocument(source),
      position = listParts(result)[0].prim.getAttribute('POSITION'),
      points = floatsOf(position as never).slice();
    for (let i = 0; i < points.length; i += 3) if (points[i] > 0.05) points[i + 2] += 0.012;
    position?.setArray(points as Float32Array<ArrayBuffer>);
    const { result: map, open } = deviationByVertex(source, result),
      [values] = [...map.values()],
      deformer = createDeformer(result),
      at = deformer.evaluate(new Float32Array(deformer.vertices * 3));
    const said = open.result.filter((mm) => mm > 4).length / open.result.length;
    // Painted: each triangle cut small, colours blended between its corners as a screen does.
    let painted = 0,
      all = 0;
    for (let t = 0; t < deformer.indices.length; t += 3) {
      const [a, b, c] = [0, 1, 2].map((k) => deformer.indices[t + k]),
        area = triangleArea(at, a, b, c),
        n = 6;
      for (let i = 0; i < n; i++)
        for (let j = 0; j < n - i; j++) {
          const u = (i + 1 / 3) / n,
            v = (j + 1 / 3) / n;
          all += area;
          if (values[a] * (1 - u - v) + values[b] * u + values[c] * v > 4) painted += area;
        }
    }
    expect(said).toBeGreaterThan(0.1);
    expect(Math.abs(painted / all - said)).toBeLessThan(0.02);
  });
  it('is cold for a character against itself, posed or not', () => {
    for (const pose of [undefined, RANGE_OF_MOTION[10]]) {
      const { source, result } = deviationByVertex(stickFigure(), stickFigure(), pose);
      for (const values of [...source.values(), ...result.values()]) expect(Math.max(...values)).toBeLessThan(1e-3);
    }
  });
});

describe('parts meet their like', () => {
  /** A body with hair over it: two plates, and the upper one goes, moves, or changes places with the other. */
  const pair = (change: (hair: Node, body: Node) => void = () => {}) => {
    const document = new Document(),
      scene = document.createScene();
    const put = (name: string, y: number) => {
      const { positions, indices } = plate(6, y),
        node = document.createNode(name).setMesh(
          document.createMesh(name).addPrimitive(
            document
              .createPrimitive()
              .setMaterial(document.createMaterial(name))
              .setAttribute(
                'POSITION',
                document
                  .createAccessor()
                  .setType('VEC3')
                  .setArray(positions as Float32Array<ArrayBuffer>),
              )
              .setIndices(
                document
                  .createAccessor()
                  .setType('SCALAR')
                  .setArray(indices as Uint32Array<ArrayBuffer>),
              ),
          ),
        );
      scene.addChild(node);
      return node;
    };
    const hair = put('Hair', 0.01),
      body = put('Head', 0);
    change(hair, body);
    return document;
  };
  const rows = async (result: Document) =>
    Object.fromEntries(
      (await compareCharacters(pair(), result, { samples: 2000 })).shape.parts.map((row) => [row.name, row.rmsMm]),
    );
  it('a surface that moved into another is missed, and so is one that was swapped', async () => {
    expect(await rows(pair())).toEqual({ Hair: 0, Head: 0 });
    expect(await rows(pair((hair) => hair.setTranslation([0, -0.01, 0])))).toEqual({ Hair: 10, Head: 0 });
    expect(
      await rows(
        pair((hair, body) => {
          hair.setName('Head');
          body.setName('Hair');
        }),
      ),
    ).toEqual({ Hair: 10, Head: 10 });
  });
  it('what is half gone is measured against what is left of it, not against the skin below', async () => {
    const { shape } = await compareCharacters(
      pair(),
      pair((hair) => {
        const indices = hair.getMesh()?.listPrimitives()[0].getIndices();
        indices?.setArray((indices.getArray() as Uint32Array<ArrayBuffer>).slice(0, 36 * 3));
      }),
      { samples: 4000 },
    );
    expect(shape.parts.find((row) => row.name === 'Hair')?.maxMm).toBeGreaterThan(300);
    expect(shape.rest.maxMm).toBeGreaterThan(300);
  });
  it('pieces that were joined are measured against the whole', async () => {
    const result = pair((hair) => hair.setName('Hair_01_geo')),
      source = pair((hair) => hair.setName('a'));
    updateDossier(result, { joinedParts: { a: 'Hair_01_geo' } });
    expect(
      (await compareCharacters(source, result, { samples: 500 })).shape.parts.map((row) => [row.name, row.rmsMm]),
    ).toEqual([
      ['a', 0],
      ['Head', 0],
    ]);
  });
  it('what was left out on purpose is not missed', async () => {
    const result = pair((hair) => hair.dispose());
    expect((await compareCharacters(pair(), result, { samples: 500 })).inventory.lost).toContain('part: Hair');
    updateDossier(result, { leftOut: { Hair: "the target can't show it" } });
    const parity = await compareCharacters(pair(), result, { samples: 500 });
    expect([
      parity.inventory.lost.filter((entry) => entry.startsWith('part')),
      parity.shape.parts.map((row) => row.name),
      parity.shape.rest.maxMm,
    ]).toEqual([[], ['Head'], 0]);
  });
});

describe('the inventory', () => {
  it('tells what went, what came, and what has another name', () => {
    const source = stickFigure(),
      result = copyDocument(source),
      node = result
        .getRoot()
        .listNodes()
        .find((entry) => entry.getName() === 'leftHand');
    node?.setName('wrist_l');
    updateDossier(result, { renamedJoints: { leftHand: 'wrist_l' } });
    result
      .getRoot()
      .listNodes()
      .find((entry) => entry.getName() === 'rightHand')
      ?.setName('wrist_r');
    result
      .getRoot()
      .listMeshes()[0]
      .setExtras({ targetNames: ['raise'] });
    result.createAnimation('Walk');
    expect(compareInventory(source, result)).toEqual({
      lost: ['joint: rightHand', 'morph: lift'],
      added: ['joint: wrist_r', 'morph: raise', 'clip: Walk'],
      renamed: ['joint: leftHand → wrist_l'],
      leftOut: [],
    });
  });
  it('tells a map that went from one that only changed its file', () => {
    const source = stickFigure(),
      [material] = source.getRoot().listMaterials();
    material.setBaseColorTexture(source.createTexture('a')).setNormalTexture(source.createTexture('b'));
    const result = copyDocument(source),
      [now] = result.getRoot().listMaterials();
    now.getBaseColorTexture()?.setName('other file');
    now.setNormalTexture(null);
    expect(compareInventory(source, result).lost).toEqual([`map: ${material.getName()} normal`]);
  });
  it('takes pieces that were joined for renamed, not lost', () => {
    const source = new Document(),
      put = (document: Document, name: string) =>
        document.createNode(name).setMesh(document.createMesh(name).addPrimitive(document.createPrimitive()));
    for (const name of ['coat_a', 'coat_b', 'boot']) put(source, name);
    const result = new Document();
    put(result, 'coat');
    updateDossier(result, { joinedParts: { coat_a: 'coat', coat_b: 'coat' } });
    expect(compareInventory(source, result)).toEqual({
      lost: ['part: boot'],
      added: [],
      renamed: ['part: coat_a → coat', 'part: coat_b → coat'],
      leftOut: [],
    });
  });
});
