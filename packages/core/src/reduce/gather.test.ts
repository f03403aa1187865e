import { describe, expect, it } from 'vitest';
import { influencesOf, listParts } from '../character/index.ts';
import { seededRandom } from '../geometry/index.ts';
import { stickFigure } from '../testing/stick-figure.ts';
import { morphComponents, weightAttributes } from './components.ts';
import { gatherAttributes, SIMPLIFY_DEFAULTS, simplifyParts } from './simplify.ts';

/** Eigenvalues of a symmetric matrix by Jacobi's rotations (Golub & Van Loan, 8.5), largest first. */
function eigenvalues(rows: number[][]): number[] {
  const a = rows.map((row) => [...row]),
    n = a.length;
  for (let sweep = 0; sweep < 30; sweep++)
    for (let p = 0; p < n; p++)
      for (let q = p + 1; q < n; q++) {
        if (Math.abs(a[p][q]) < 1e-14) continue;
        const theta = (a[q][q] - a[p][p]) / (2 * a[p][q]),
          t = (theta < 0 ? -1 : 1) / (Math.abs(theta) + Math.hypot(theta, 1)),
          c = 1 / Math.hypot(t, 1),
          s = t * c;
        for (let k = 0; k < n; k++) [a[k][p], a[k][q]] = [c * a[k][p] - s * a[k][q], s * a[k][p] + c * a[k][q]];
        for (let k = 0; k < n; k++) [a[p][k], a[q][k]] = [c * a[p][k] - s * a[q][k], s * a[p][k] + c * a[q][k]];
      }
  return a.map((row, i) => row[i]).sort((x, y) => y - x);
}

describe("the morphs' strongest patterns", () => {
  // Lengths that four does and does not go into, and more vertices than one stretch.
  it.each([5, 7, 8, 400])('hold as much of the movement as any could, of %i vertices', (vertices) => {
    const random = seededRandom(vertices),
      deltas = Array.from({ length: 9 }, (_, m) =>
        Float32Array.from({ length: vertices * 3 }, () => (random() - 0.5) / (m + 1)),
      );
    const gram = deltas.map((x) => deltas.map((y) => x.reduce((sum, value, i) => sum + value * y[i], 0))),
      best = eigenvalues(gram);
    const found = morphComponents(deltas, 3).map((pattern) => pattern.reduce((sum, value) => sum + value * value, 0));
    expect(found).toHaveLength(3);
    found.forEach((energy, c) => expect(Math.abs(energy / best[c] - 1)).toBeLessThan(0.01));
  });
  it('of many vertices are found from every few, and still hold as much but for a little', () => {
    const random = seededRandom(3),
      vertices = 6000,
      // Movement lies in patches, as it does on faces.
      deltas = Array.from({ length: 12 }, (_, m) =>
        Float32Array.from({ length: vertices * 3 }, (_, i) =>
          Math.floor(i / 1500) === m ? 0.5 + random() : 0.1 * (random() - 0.5),
        ),
      );
    const gram = deltas.map((x) => deltas.map((y) => x.reduce((sum, value, i) => sum + value * y[i], 0))),
      best = eigenvalues(gram);
    const found = morphComponents(deltas, 4).reduce(
      (sum, pattern) => sum + pattern.reduce((part, value) => part + value * value, 0),
      0,
    );
    expect(found / (best[0] + best[1] + best[2] + best[3])).toBeGreaterThan(0.97);
  });
});

describe('what the simplifier is given', () => {
  const [part] = listParts(stickFigure({ rings: 12, sides: 12 })),
    positions = Float32Array.from(part.prim.getAttribute('POSITION')?.getArray() as Float32Array);
  const gathered = (options = SIMPLIFY_DEFAULTS) => gatherAttributes(part.prim, positions, part.vertices, options);
  const column = (values: Float32Array, stride: number, at: number) =>
    Array.from({ length: part.vertices }, (_, v) => values[v * stride + at]);

  it('is normals, texture places, joint weights and morphs, each as heavy as was said, a metre of morph a metre', () => {
    const { values, weights } = gathered(),
      heights = positions.filter((_, i) => i % 3 === 1),
      extent = Math.max(
        ...[0, 1, 2].map((k) => {
          const axis = positions.filter((_, i) => i % 3 === k);
          return Math.max(...axis) - Math.min(...axis);
        }),
      );
    expect(Math.min(...heights)).toBeLessThan(0.1);
    expect(weights.slice(0, 5)).toEqual([0.2, 0.2, 0.2, 0.5, 0.5]);
    const joints = weights.slice(5, -3);
    expect(new Set(joints)).toEqual(new Set([0.2]));
    expect(joints.length).toBe(12);
    for (const weight of weights.slice(-3)) expect(weight * extent).toBeCloseTo(1, 5);
    expect(values.length).toBe(part.vertices * weights.length);
    const said = (semantic: string, size: number, k: number) =>
      Array.from({ length: part.vertices }, (_, v) => part.prim.getAttribute(semantic)?.getArray()?.[v * size + k]);
    for (let k = 0; k < 3; k++) expect(column(values, weights.length, k)).toEqual(said('NORMAL', 3, k));
    for (let k = 0; k < 2; k++) expect(column(values, weights.length, 3 + k)).toEqual(said('TEXCOORD_0', 2, k));
    const delta = part.prim.listTargets()[0].getAttribute('POSITION')?.getArray() as Float32Array;
    for (let k = 0; k < 3; k++)
      expect(column(values, weights.length, weights.length - 3 + k)).toEqual(
        Array.from({ length: part.vertices }, (_, v) => delta[v * 3 + k]),
      );
  });
  it("joint weights are the part's own", () => {
    const { values, weights } = gathered(),
      influences = influencesOf(part.prim) as NonNullable<ReturnType<typeof influencesOf>>;
    const strongest = new Map<number, number[]>();
    influences.joints.forEach((joint, k) => {
      const list = strongest.get(joint) ?? new Array(part.vertices).fill(0);
      list[Math.floor(k / influences.perVertex)] += influences.weights[k];
      strongest.set(joint, list);
    });
    const own = [...strongest.values()].map((list) => list.map(Math.fround).join());
    for (let at = 5; at < 5 + 12; at++) expect(own).toContain(column(values, weights.length, at).join());
  });
  it('leaves out what counts nothing', () => {
    const none = { normalWeight: 0, uvWeight: 0, jointWeight: 0, morphWeight: 0 };
    expect(gathered(none).weights).toEqual([]);
    expect(gathered({ ...none, uvWeight: 2 }).weights).toEqual([2, 2]);
  });
});

describe('joints whose weights vary', () => {
  it('are the most varying, where there are more than asked for', () => {
    // Four vertices; joint 0 varies little, 1 most, 2 less, each against 3.
    const share = [
        [0.1, 0, 0.2],
        [0.2, 0.9, 0.5],
        [0.1, 0, 0.2],
        [0.2, 0.9, 0.5],
      ],
      joints = share.flatMap(() => [0, 1, 2, 3]),
      weights = share.flatMap((row) => [...row, Math.max(0, 1 - row.reduce((sum, w) => sum + w, 0))]);
    const columns = (most: number) => weightAttributes(joints, weights, 4, most).map((column) => [...column]);
    const [one] = columns(1);
    expect(one.map((value) => Math.round(value * 100) / 100)).toEqual([0, 0.9, 0, 0.9]);
    expect(columns(2)).toContainEqual(one);
    expect(columns(2).map((column) => Math.round(column[2] * 100) / 100)).not.toContain(0.1);
  });
});

describe('a mesh that stands twice', () => {
  it('is reduced once, and told for both', async () => {
    const document = stickFigure({ rings: 12, sides: 12 }),
      [body] = listParts(document),
      [scene] = document.getRoot().listScenes(),
      said: number[] = [];
    scene.addChild(document.createNode('Again').setMesh(body.mesh).setSkin(body.node.getSkin()));
    const budget = new Map(listParts(document).map((part) => [part.id, 700]));
    const { parts } = await simplifyParts(document, budget, SIMPLIFY_DEFAULTS, (fraction) => said.push(fraction));
    expect(parts.map((row) => row.to)).toEqual([parts[0].to, parts[0].to]);
    expect(parts[0].from).toBe(body.triangles);
    expect(parts[1].from).toBe(body.triangles);
    expect(listParts(document)[1].triangles).toBe(parts[0].to);
    expect(said).toEqual([0, 0.5]);
  });
});

describe('what could not be reached is said, and only that', () => {
  it('a part that comes down to its budget is no finding; one that others hold in place is', async () => {
    const free = stickFigure({ rings: 12, sides: 12 }),
      [body] = listParts(free);
    expect((await simplifyParts(free, new Map([[body.id, 600]]))).findings).toEqual([]);
    const held = stickFigure({ rings: 12, sides: 12 }),
      [one] = listParts(held),
      twin = one.prim.clone();
    held
      .getRoot()
      .listScenes()[0]
      .addChild(
        held.createNode('Twin').setMesh(held.createMesh('Twin').addPrimitive(twin)).setSkin(one.node.getSkin()),
      );
    const { findings, parts } = await simplifyParts(held, new Map([[one.id, 600]]));
    expect(parts[0].to).toBeGreaterThan(1000);
    expect(findings).toMatchObject([{ code: 'reduce.not-reached', where: one.id, measured: parts[0].to, limit: 600 }]);
  });
});
