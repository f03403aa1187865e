import { MeshoptSimplifier } from 'meshoptimizer/simplifier';
import { beforeAll, describe, expect, it } from 'vitest';
import { STRAND_LAYERS, type StrandPixels } from '../appearance/index.ts';
import { type CardMesh, simplifyCards } from './cards.ts';

/** Cards side by side, each of so many segments, bent by `bend` metres in their middle. */
function cards(count: number, segments: number, bend: (card: number) => number): CardMesh & { triangles: number } {
  const positions: number[] = [],
    uv: number[] = [],
    indices: number[] = [];
  for (let card = 0; card < count; card++) {
    const first = positions.length / 3;
    for (let s = 0; s <= segments; s++)
      for (const side of [0, 1]) {
        const along = s / segments;
        positions.push(card * 0.01 + side * 0.006, along * 0.1, Math.sin(along * Math.PI) * bend(card));
        uv.push(side * 0.1, along);
      }
    for (let s = 0; s < segments; s++) {
      const a = first + s * 2;
      indices.push(a, a + 1, a + 3, a, a + 3, a + 2);
    }
  }
  return {
    positions: Float32Array.from(positions),
    uv: Float32Array.from(uv),
    indices: Uint32Array.from(indices),
    lock: new Uint8Array(positions.length / 3),
    triangles: indices.length / 3,
  };
}
/** How far along its card the corners of each card reach. */
function reach({ positions }: CardMesh, indices: Uint32Array): Map<number, [number, number]> {
  const out = new Map<number, [number, number]>();
  for (const v of indices) {
    const card = Math.round((positions[v * 3] - 0.003) / 0.01),
      y = positions[v * 3 + 1],
      [low, high] = out.get(card) ?? [1, 0];
    out.set(card, [Math.min(low, y), Math.max(high, y)]);
  }
  return out;
}
/** Five pixels for each triangle, on which nothing else lies. */
const even = (n: number) => onPixels(Array.from({ length: n * 5 }, (_, i) => [Math.floor(i / 5)]));
/** Triangles by pixel, from the front on. */
const onPixels = (layers: readonly (readonly number[])[]): StrandPixels =>
  Int32Array.from(layers.flatMap((row) => Array.from({ length: STRAND_LAYERS }, (_, k) => row[k] ?? -1)));

beforeAll(() => MeshoptSimplifier.ready);

describe('hair of cards', () => {
  it('keeps every card from end to end when triangles go', () => {
    const mesh = cards(60, 8, () => 0.002),
      kept = simplifyCards(mesh, 240, even(mesh.triangles)) as Uint32Array;
    expect(kept.length / 3).toBeLessThanOrEqual(240);
    expect(kept.length / 3).toBeGreaterThan(180);
    const ends = reach(mesh, kept);
    expect(ends.size).toBe(60);
    for (const [low, high] of ends.values()) expect([low, high]).toEqual([0, expect.closeTo(0.1, 6)]);
  });
  it('gives more to bent cards than to straight ones', () => {
    const mesh = cards(40, 8, (card) => (card < 20 ? 0.03 : 0)),
      kept = simplifyCards(mesh, 200, even(mesh.triangles)) as Uint32Array;
    let bent = 0;
    for (let i = 0; i < kept.length; i += 3) if (mesh.positions[kept[i] * 3] < 0.2) bent++;
    expect(bent).toBeGreaterThan(120);
  });
  it('lets those go first that are seen least, where not even two triangles a card are left', () => {
    const mesh = cards(50, 4, () => 0.001),
      seen = onPixels(Array.from({ length: 25 * 8 * 40 }, (_, i) => [Math.floor(i / 40)])),
      kept = simplifyCards(mesh, 60, seen) as Uint32Array,
      there = [...reach(mesh, kept).keys()];
    for (let card = 0; card < 25; card++) expect(there).toContain(card);
    expect(kept.length / 3).toBeLessThanOrEqual(60);
  });
  it('keeps what no other card covers, however little of it shows, before what lies under others', () => {
    const mesh = cards(60, 4, () => 0.001);
    // Twenty stand alone on half as many pixels each; the others lie four deep.
    const alone = Array.from({ length: 20 * 8 * 3 }, (_, i) => [Math.floor(i / 3)]),
      deep = Array.from({ length: 10 * 8 * 6 }, (_, i) => {
        const t = 160 + Math.floor(i / 6);
        return [t, t + 80, t + 160, t + 240].filter((one) => one < mesh.triangles);
      });
    const kept = simplifyCards(mesh, 70, onPixels([...alone, ...deep])) as Uint32Array,
      there = new Set(reach(mesh, kept).keys());
    for (let card = 0; card < 20; card++) expect(there.has(card)).toBe(true);
    expect(there.size).toBeLessThan(40);
  });
  it('keeps segments where fewer would sink into what the cards lie on', () => {
    const mesh = cards(40, 8, () => 0.004),
      // A skull that bends as the cards do, a millimetre below them.
      above = (_x: number, y: number, z: number) => z > Math.sin((y / 0.1) * Math.PI) * 0.004 - 0.001,
      count = (isAbove?: CardMesh['isAbove']) =>
        new Set(reach(mesh, simplifyCards({ ...mesh, isAbove }, 120, even(mesh.triangles)) as Uint32Array).keys()).size;
    expect(count()).toBe(40);
    // Two triangles a card would lie below it: fewer cards, of more triangles each.
    expect(count(above)).toBeLessThan(40);
  });
  it('leaves what must stay, and surfaces that are no cards, alone', () => {
    const mesh = cards(40, 6, () => 0.001);
    mesh.lock.fill(1, 0, 14);
    const kept = simplifyCards(mesh, 120, even(mesh.triangles)) as Uint32Array;
    for (let v = 0; v < 14; v++) expect(kept.includes(v)).toBe(true);
    const few = cards(5, 8, () => 0);
    expect(simplifyCards(few, 20, even(few.triangles))).toBeNull();
    const all = simplifyCards(mesh, mesh.triangles, even(mesh.triangles)) as Uint32Array;
    expect(all.length).toBe(mesh.indices.length);
  });
});
