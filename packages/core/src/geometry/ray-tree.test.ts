import { BackSide, BufferAttribute, BufferGeometry, FrontSide, Ray, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { describe, expect, it } from 'vitest';
import { RayTree } from './ray-tree.ts';
import { seededRandom } from './random.ts';

/** Triangles strewn over a cube. */
function strewn(count: number, size: number) {
  const random = seededRandom(7),
    positions = new Float32Array(count * 9);
  for (let t = 0; t < count; t++) {
    const middle = [random(), random(), random()];
    for (let k = 0; k < 9; k++) positions[t * 9 + k] = middle[k % 3] + (random() - 0.5) * size;
  }
  return { positions, indices: Uint32Array.from({ length: count * 3 }, (_, i) => i) };
}

describe('rays through a tree', () => {
  for (const behind of [false, true])
    it(`meet the same ${behind ? 'backs' : 'fronts'} as another library’s`, () => {
      const { positions, indices } = strewn(900, 0.3),
        tree = new RayTree(positions, indices),
        geometry = new BufferGeometry();
      geometry.setAttribute('position', new BufferAttribute(positions.slice(), 3));
      geometry.setIndex(new BufferAttribute(indices.slice(), 1));
      const other = new MeshBVH(geometry, { indirect: true }),
        random = seededRandom(11);
      let met = 0,
        wrong = 0;
      for (let i = 0; i < 3000; i++) {
        const from = new Vector3(random() * 1.4 - 0.2, random() * 1.4 - 0.2, random() * 1.4 - 0.2),
          // A third of them along an axis, where a slab divides by nothing.
          to =
            i % 3
              ? new Vector3(random() - 0.5, random() - 0.5, random() - 0.5).normalize()
              : new Vector3(...([0, 1, 2].map((k) => (k === (i / 3) % 3 ? 1 : 0)) as [number, number, number])),
          hit = other.raycastFirst(new Ray(from, to), behind ? BackSide : FrontSide),
          found = tree.ray(from.x, from.y, from.z, to.x, to.y, to.z, 0.6, behind);
        const near = hit && hit.distance < 0.6;
        if (found) met++;
        if (found !== Boolean(near) || (hit && near && Math.abs(hit.distance - tree.met.distance) > 1e-5)) wrong++;
        if (found) {
          const { triangle, v, w, distance } = tree.met,
            at = [0, 1, 2].map(
              (k) =>
                positions[triangle * 9 + k] * (1 - v - w) +
                positions[triangle * 9 + 3 + k] * v +
                positions[triangle * 9 + 6 + k] * w,
            );
          if (from.addScaledVector(to, distance).distanceTo(new Vector3(...(at as [number, number, number]))) > 1e-5)
            wrong++;
        }
      }
      expect(wrong).toBe(0);
      expect(met).toBeGreaterThan(500);
    });
  it('meet nothing in an empty tree, and nothing behind them', () => {
    expect(new RayTree(new Float32Array(0), new Uint32Array(0)).ray(0, 0, 0, 0, 0, 1, 9)).toBe(false);
    const tree = new RayTree(Float32Array.of(0, 0, 0, 1, 0, 0, 0, 1, 0), Uint32Array.of(0, 1, 2));
    expect(tree.ray(0.2, 0.2, -1, 0, 0, -1, 9, true)).toBe(false);
    expect(tree.ray(0.2, 0.2, -1, 0, 0, 1, 9)).toBe(false);
    expect(tree.ray(0.2, 0.2, -1, 0, 0, 1, 9, true)).toBe(true);
    expect(tree.met).toMatchObject({ triangle: 0, distance: 1 });
    expect(tree.ray(0.2, 0.2, 1, 0, 0, -1, 0.9)).toBe(false);
    expect(tree.ray(0.2, 0.2, 1, 0, 0, -1, 1.1)).toBe(true);
  });
});
