import { describe, expect, it } from 'vitest';
import {
  createDeformer,
  influencesOf,
  listParts,
  skeletonOf,
  readDossier,
  updateDossier,
  copyDocument,
  weightSumError,
  writeInfluences,
} from '../character/index.ts';
import { quatFromAxis } from '../geometry/index.ts';
import { jointRoles, poseByTurns, poseSkeleton, RANGE_OF_MOTION, roleIndex } from '../rig/index.ts';
import { SHIPPED_TARGETS } from '../targets/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { testContext } from '../testing/context.ts';
import { stretchedShare } from './bind/stretched-share.ts';
import { distancesThrough, voxelAt, voxelise } from '../geometry/index.ts';
import { bindStep, bindThroughVoxels, fitSkeleton } from './index.ts';
import { smoothOver } from './bind-voxels.ts';

/** A closed box from (0, 0, 0) to (w, h, d), as triangles. */
function box(
  w: number,
  h: number,
  d: number,
  at: [number, number, number] = [0, 0, 0],
): { positions: number[]; indices: number[] } {
  const positions = [0, 1, 2, 3, 4, 5, 6, 7].flatMap((i) => [
    at[0] + (i & 1 ? w : 0),
    at[1] + (i & 2 ? h : 0),
    at[2] + (i & 4 ? d : 0),
  ]);
  return {
    positions,
    indices: [
      0, 2, 3, 0, 3, 1, 4, 5, 7, 4, 7, 6, 0, 1, 5, 0, 5, 4, 2, 6, 7, 2, 7, 3, 0, 4, 6, 0, 6, 2, 1, 3, 7, 1, 7, 5,
    ],
  };
}
function joined(...boxes: ReturnType<typeof box>[]) {
  const positions: number[] = [],
    indices: number[] = [];
  for (const one of boxes) {
    indices.push(...one.indices.map((i) => i + positions.length / 3));
    positions.push(...one.positions);
  }
  return { positions: Float32Array.from(positions), indices: Uint32Array.from(indices) };
}

describe('voxelise', () => {
  it("fills what is closed: volume of a box within a voxel's skin", () => {
    const { positions, indices } = joined(box(1, 0.5, 0.25)),
      voxels = voxelise(positions, indices, 50),
      volume = voxels.solid.reduce((sum, cell) => sum + cell, 0) * voxels.size ** 3;
    expect(volume).toBeGreaterThan(0.125);
    expect(volume).toBeLessThan(1.05 * 0.55 * 0.3);
  });
  it('does not fill what is open', () => {
    const { positions, indices } = joined(box(1, 1, 1)),
      open = indices.slice(6),
      voxels = voxelise(positions, open, 30);
    expect(voxels.solid[voxelAt(voxels, 0.5, 0.5, 0.5)]).toBe(0);
    expect(voxelise(positions, indices, 30).solid[voxelAt(voxels, 0.5, 0.5, 0.5)]).toBe(1);
  });
});

describe('distancesThrough', () => {
  it("is the straight distance where the way is free, within the grid's eight per cent", () => {
    const { positions, indices } = joined(box(1, 1, 1)),
      voxels = voxelise(positions, indices, 40),
      out = new Uint16Array(voxels.solid.length);
    distancesThrough(voxels, [0.1, 0.1, 0.1], [0.1, 0.1, 0.1], 3, out);
    for (const p of [
      [0.9, 0.1, 0.1],
      [0.9, 0.9, 0.1],
      [0.9, 0.9, 0.9],
      [0.9, 0.5, 0.1],
    ]) {
      const got = (out[voxelAt(voxels, p[0], p[1], p[2])] / 10) * voxels.size,
        want = Math.hypot(p[0] - 0.1, p[1] - 0.1, p[2] - 0.1);
      expect(Math.abs(got / want - 1)).toBeLessThan(0.1);
    }
  });
  it('begins anywhere on a line, wherever its ends lie, and stops at its reach', () => {
    // Ends on both sides of nought, so that their sum says nothing of how long it is.
    const { positions, indices } = joined(box(2, 0.5, 0.5, [-1, -0.25, -0.25])),
      voxels = voxelise(positions, indices, 60),
      out = new Uint16Array(voxels.solid.length),
      at = (x: number, y: number) => out[voxelAt(voxels, x, y, 0)];
    distancesThrough(voxels, [-0.9, 0, 0], [0.9, 0, 0], 0.1, out);
    for (let x = -0.9; x <= 0.9; x += 0.02) expect(at(x, 0)).toBe(0);
    expect((at(0.4, 0.08) / 10) * voxels.size).toBeCloseTo(0.08, 1);
    expect([at(0.4, 0.2), at(-0.4, -0.2)]).toEqual([65535, 65535]);
  });
  it('goes round a gap instead of across it', () => {
    // Two legs of a U: near each other in space, far apart through the body.
    const { positions, indices } = joined(box(0.2, 1, 0.2), box(0.2, 1, 0.2, [0.4, 0, 0]), box(0.6, 0.2, 0.2)),
      voxels = voxelise(positions, indices, 60),
      out = new Uint16Array(voxels.solid.length);
    distancesThrough(voxels, [0.1, 0.95, 0.1], [0.1, 0.95, 0.1], 4, out);
    expect((out[voxelAt(voxels, 0.5, 0.95, 0.1)] / 10) * voxels.size).toBeGreaterThan(1.6);
  });
});

describe('a bone that lies outside the body', () => {
  it('reaches into it from the nearest place, on whichever side it lies', () => {
    const { positions, indices } = joined(box(0.4, 1, 0.3)),
      voxels = voxelise(positions, indices, 40),
      [nx, ny] = voxels.dims,
      middle = (at: number) => [
        voxels.origin[0] + ((at % nx) + 0.5) * voxels.size,
        voxels.origin[1] + ((Math.floor(at / nx) % ny) + 0.5) * voxels.size,
        voxels.origin[2] + (Math.floor(at / (nx * ny)) + 0.5) * voxels.size,
      ];
    // Just outside each face: what is reached first lies under that very place, inside.
    for (const [x, y, z] of [
      [-0.03, 0.31, 0.12],
      [0.43, 0.62, 0.2],
      [0.11, -0.03, 0.09],
      [0.29, 1.03, 0.21],
      [0.13, 0.44, -0.03],
      [0.31, 0.7, 0.33],
    ]) {
      const out = new Uint16Array(voxels.solid.length);
      distancesThrough(voxels, [x, y, z], [x, y, z], 4, out);
      let at = -1;
      out.forEach((far, i) => {
        if (voxels.solid[i] && (at < 0 || far < out[at])) at = i;
      });
      const found = middle(at),
        inside = [Math.min(0.4, Math.max(0, x)), Math.min(1, Math.max(0, y)), Math.min(0.3, Math.max(0, z))];
      found.forEach((value, k) => expect(Math.abs(value - inside[k])).toBeLessThan(1.6 * voxels.size));
    }
  });
});

describe('smoothOver', () => {
  it('gives each vertex half of what its neighbours have, counted once for every triangle that joins them', () => {
    const indices = Uint32Array.of(0, 1, 2, 2, 1, 3, 3, 4, 2),
      before = [Float32Array.of(1, 0, 0.25, 0, 0.5, 0.7), Float32Array.of(0, 1, 0.75, 1, 0.5, 0.3)],
      after = before.map((column) => Float32Array.from(column));
    smoothOver(after, 6, indices, 1);
    const beside = Array.from({ length: 6 }, () => [] as number[]);
    for (let t = 0; t < indices.length; t += 3)
      for (const i of [0, 1, 2]) for (const j of [0, 1, 2]) if (i !== j) beside[indices[t + i]].push(indices[t + j]);
    before.forEach((column, b) =>
      column.forEach((own, v) => {
        const mean = beside[v].reduce((sum, other) => sum + column[other], 0) / (beside[v].length || 1);
        expect(after[b][v]).toBeCloseTo(beside[v].length ? (own + mean) / 2 : own, 6);
      }),
    );
  });
});

describe('bindThroughVoxels', () => {
  it('ties what no bone reaches through the body to the nearest one, whichever is named first', () => {
    const { positions, indices } = joined(box(0.3, 1, 0.3), box(0.05, 0.05, 0.05, [0.9, 0.9, 0.1])),
      high = { from: [0.15, 0.8, 0.15], to: [0.15, 0.95, 0.15] },
      low = { from: [0.15, 0.05, 0.15], to: [0.15, 0.2, 0.15] };
    for (const bones of [
      [high, low],
      [low, high],
    ]) {
      const { joints, weights, perVertex } = bindThroughVoxels(positions, indices, bones, { across: 40, smooth: 0 });
      for (let v = 8; v < 16; v++) {
        const most = [...joints.subarray(v * perVertex, (v + 1) * perVertex)].find(
          (_, k) => weights[v * perVertex + k] > 0.99,
        );
        expect(most).toBe(bones.indexOf(high));
      }
    }
  });
  it('measures to where a bone ends, whichever way it runs', () => {
    const { positions, indices } = joined(box(0.3, 1, 1), box(0.05, 0.05, 0.05, [0.9, 0.15, 0.8])),
      deep = { from: [0.15, 0.15, 0.2], to: [0.15, 0.15, 0.8] },
      high = { from: [0.15, 0.85, 0.5], to: [0.15, 0.95, 0.5] },
      { joints, weights, perVertex } = bindThroughVoxels(positions, indices, [high, deep], { across: 40, smooth: 0 });
    for (let v = 8; v < 16; v++)
      expect(joints[v * perVertex + weights.subarray(v * perVertex, (v + 1) * perVertex).indexOf(1)]).toBe(1);
  });
  const stick = stickFigure(),
    deformer = createDeformer(stick),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3));
  it('gives every vertex weights that sum to one, the nearest bone the most', () => {
    const bound = bindThroughVoxels(
      positions,
      deformer.indices,
      [
        { from: [0, 0, 0], to: [0, 0.9, 0] },
        { from: [0, 0.9, 0], to: [0, 1.7, 0] },
      ],
      { across: 60, most: 2 },
    );
    for (let v = 0; v < positions.length / 3; v++) {
      let sum = 0;
      for (let k = 0; k < bound.perVertex; k++) sum += bound.weights[v * bound.perVertex + k];
      expect(sum).toBeCloseTo(1, 5);
    }
  });
  it('does not let one leg pull the other', () => {
    const u = joined(box(0.2, 1, 0.2), box(0.2, 1, 0.2, [0.4, 0, 0]), box(0.6, 0.2, 0.2));
    const bound = bindThroughVoxels(
      u.positions,
      u.indices,
      [
        { from: [0.1, 0.5, 0.1], to: [0.1, 1, 0.1] },
        { from: [0.5, 0.5, 0.1], to: [0.5, 1, 0.1] },
      ],
      { across: 60, smooth: 0 },
    );
    for (let v = 0; v < u.positions.length / 3; v++) {
      if (u.positions[v * 3 + 1] < 0.9) continue;
      expect(bound.joints[v * bound.perVertex]).toBe(u.positions[v * 3] < 0.3 ? 0 : 1);
      expect(bound.weights[v * bound.perVertex]).toBeGreaterThan(0.95);
    }
  });
});

describe('bones that have several segments', () => {
  it('reach along each of them: what lies near the second follows as what lies near the first', () => {
    const { positions, indices } = joined(box(0.2, 2, 0.2)),
      bound = bindThroughVoxels(
        positions,
        indices,
        [
          { from: [0.1, 0.1, 0.1], to: [0.1, 0.3, 0.1], also: [{ from: [0.1, 1.7, 0.1], to: [0.1, 1.9, 0.1] }] },
          { from: [0.1, 0.9, 0.1], to: [0.1, 1.1, 0.1] },
        ],
        { across: 60, smooth: 0 },
      );
    // All corners lie at the ends: at both of them the first bone is nearest by one of its segments.
    for (let v = 0; v < positions.length / 3; v++) {
      expect(bound.joints[v * bound.perVertex]).toBe(0);
      expect(bound.weights[v * bound.perVertex]).toBeGreaterThan(0.95);
    }
  });
});

describe('stretchedShare', () => {
  it('is the share of edges over twice as long in the worst pose, of edges long enough to tell', () => {
    const document = stickFigure(),
      soft = stretchedShare(document);
    // Every other vertex goes with the hips: the surface is torn wherever a limb moves.
    const [part] = listParts(document),
      influences = influencesOf(part.prim) as NonNullable<ReturnType<typeof influencesOf>>;
    for (let k = 0; k < influences.joints.length; k += influences.perVertex) {
      let most = k;
      for (let n = k; n < k + influences.perVertex; n++) if (influences.weights[n] > influences.weights[most]) most = n;
      const joint = (k / influences.perVertex) % 2 ? 0 : influences.joints[most];
      influences.joints.fill(0, k, k + influences.perVertex);
      influences.weights.fill(0, k, k + influences.perVertex);
      influences.joints[k] = joint;
      influences.weights[k] = 1;
    }
    writeInfluences(document, part.prim, influences);
    const hard = stretchedShare(document);
    expect(hard).toBeGreaterThan(soft);
    // Counted anew on the same poses, edges as pairs of points.
    const d = createDeformer(document),
      found = roleIndex(jointRoles(document, d.skeleton)),
      at = (points: Float32Array, v: number) => [...points.subarray(v * 3, v * 3 + 3)],
      far = (a: number[], b: number[]) => Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]),
      before = d.evaluate(new Float32Array(d.vertices * 3));
    const shares = RANGE_OF_MOTION.map((pose) => {
      const now = d.evaluate(new Float32Array(d.vertices * 3), {}, poseSkeleton(d.skeleton, found, pose));
      let over = 0,
        edges = 0;
      for (let t = 0; t < d.indices.length; t += 3) {
        const [a, b] = [d.indices[t], d.indices[t + 1]],
          was = far(at(before, a), at(before, b));
        if (was < 1e-5) continue;
        edges++;
        if (far(at(now, a), at(now, b)) > 2 * was) over++;
      }
      return (100 * over) / edges;
    });
    expect(hard).toBeCloseTo(Math.max(...shares), 1);
    expect(new Set(shares.map((share) => share.toFixed(2))).size).toBeGreaterThan(3);
  });
});

describe('fitSkeleton', () => {
  const figure = stickFigure(),
    deformer = createDeformer(figure),
    positions = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    voxels = voxelise(positions, deformer.indices, 120);
  const skeleton = skeletonOf(figure),
    roles = roleIndex(jointRoles(figure, skeleton));
  const off = (global: Float64Array) =>
    Math.max(
      ...skeleton.joints.map((_, j) =>
        Math.hypot(...[12, 13, 14].map((k) => global[j * 16 + k] - skeleton.global[j * 16 + k])),
      ),
    );
  it('leaves one that lies right where it is', () => {
    const fit = fitSkeleton(skeleton, roles, voxels, 1.68);
    expect(fit).toMatchObject({ scale: 1, arms: 0 });
    expect(off((fit as NonNullable<typeof fit>).global)).toBeLessThan(1e-9);
  });
  it.each([
    ['in centimetres', 100],
    ['in inches', 1 / 0.0254],
    ['ten times as small', 0.1],
    ['ten times as large', 10],
    ['a hundred times as small', 0.01],
    ['in metres, read as inches', 0.0254],
    ['in feet', 1 / 0.3048],
    ['in metres, read as feet', 0.3048],
    ['in inches, read as centimetres', 1 / 2.54],
    ['in centimetres, read as inches', 2.54],
    ['in feet, read as centimetres', 1 / 30.48],
    ['in centimetres, read as feet', 30.48],
  ])('scales one that came %s', (_, factor) => {
    const other = {
        ...skeleton,
        global: skeleton.global.map((value, i) => ((i & 15) > 11 && (i & 15) < 15 ? value * factor : value)),
      },
      fit = fitSkeleton(other, roles, voxels, 1.68);
    expect(fit?.scale).toBeCloseTo(1 / factor, 6);
    expect(off((fit as NonNullable<typeof fit>).global)).toBeLessThan(0.002);
  });
  it.each([
    ['with its arms straight out', 45],
    ['with its arms lower', -20],
    ['with its arms between steps of five degrees', 37],
  ])('turns the arms of one that stands %s', (_, degrees) => {
    const turns = new Map(
      (['left', 'right'] as const).map((side) => [
        roles.get(`${side}UpperArm`) as number,
        quatFromAxis([0, 0, 1], ((side === 'left' ? 1 : -1) * degrees * Math.PI) / 180),
      ]),
    );
    const fit = fitSkeleton({ ...skeleton, global: poseByTurns(skeleton, turns) }, roles, voxels, 1.68);
    expect(Math.abs((fit?.arms ?? 0) + degrees)).toBeLessThanOrEqual(degrees % 5 ? 1 : 3);
  });
  it('says no where head or hips are not known', () => {
    expect(fitSkeleton(skeleton, new Map(), voxels, 1.68)).toBeNull();
  });
});

describe('weights.bind', () => {
  it('binds a mesh and a skeleton that came apart, and they bend like the figure they were', async () => {
    const whole = stickFigure(),
      document = copyDocument(whole);
    for (const node of document.getRoot().listNodes()) node.setSkin(null);
    for (const part of listParts(document))
      for (const name of ['JOINTS_0', 'WEIGHTS_0']) part.prim.setAttribute(name, null);
    for (const skin of document.getRoot().listSkins()) skin.dispose();
    updateDossier(document, { apart: { file: 'a.bvh', roots: ['hips'] } });
    expect(bindStep.applies(document, SHIPPED_TARGETS[0])).toBe(true);
    await bindStep.run(document, { falloff: 6, influences: 4 }, SHIPPED_TARGETS[0], testContext());
    expect(bindStep.applies(document, SHIPPED_TARGETS[0])).toBe(false);
    expect(readDossier(document).apart).toBeUndefined();
    const [part] = listParts(document);
    expect(weightSumError(part.prim)).toBeLessThan(1e-6);
    expect(influencesOf(part.prim)?.perVertex).toBe(4);
    const a = createDeformer(whole),
      b = createDeformer(document),
      rolesA = roleIndex(jointRoles(whole, a.skeleton)),
      rolesB = roleIndex(jointRoles(document, b.skeleton));
    const still = b.evaluate(new Float32Array(b.vertices * 3)),
      rest = a.evaluate(new Float32Array(a.vertices * 3));
    expect(Math.max(...still.map((x, i) => Math.abs(x - rest[i])))).toBeLessThan(1e-5);
    const errors = RANGE_OF_MOTION.map((pose) => {
      const x = a.evaluate(new Float32Array(rest.length), {}, poseSkeleton(a.skeleton, rolesA, pose)),
        y = b.evaluate(new Float32Array(rest.length), {}, poseSkeleton(b.skeleton, rolesB, pose));
      let sum = 0;
      for (let i = 0; i < x.length; i++) sum += (x[i] - y[i]) ** 2;
      return Math.sqrt((sum * 3) / x.length) * 1000;
    });
    expect(Math.sqrt(errors.reduce((sum, value) => sum + value ** 2, 0) / errors.length)).toBeLessThan(30);
  });
  it("says what is missing where the skeleton can't be understood", async () => {
    const document = copyDocument(stickFigure({ name: () => 'x' }));
    for (const node of document.getRoot().listNodes()) node.setSkin(null);
    for (const skin of document.getRoot().listSkins()) skin.dispose();
    const [root] = document.getRoot().listScenes()[0].listChildren();
    for (const child of root.listChildren()) root.removeChild(child);
    updateDossier(document, { apart: { file: 'a.bvh', roots: ['x'] } });
    const { findings } = await bindStep.run(document, { falloff: 6, influences: 4 }, SHIPPED_TARGETS[0], testContext());
    expect(findings[0]).toMatchObject({ code: 'weights.no-fit', severity: 'error' });
  });
});
