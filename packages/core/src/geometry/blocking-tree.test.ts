import { BufferAttribute, BufferGeometry, DoubleSide, Ray, Vector3 } from 'three';
import { MeshBVH } from 'three-mesh-bvh';
import { describe, expect, it } from 'vitest';
import { BlockingTree } from './blocking-tree.ts';
import { seededRandom } from './random.ts';

describe('what lies in the way of a ray', () => {
  it('is there where another library meets it from either side', () => {
    const random = seededRandom(3),
      count = 700,
      positions = new Float32Array(count * 9);
    for (let t = 0; t < count; t++) {
      const middle = [random(), random(), random()];
      for (let k = 0; k < 9; k++) positions[t * 9 + k] = middle[k % 3] + (random() - 0.5) * 0.15;
    }
    const indices = Uint32Array.from({ length: count * 3 }, (_, i) => i),
      tree = new BlockingTree(positions, indices),
      geometry = new BufferGeometry();
    geometry.setAttribute('position', new BufferAttribute(positions.slice(), 3));
    geometry.setIndex(new BufferAttribute(indices.slice(), 1));
    const other = new MeshBVH(geometry, { indirect: true });
    let blocked = 0,
      free = 0,
      wrong = 0;
    for (let i = 0; i < 3000; i++) {
      const from = new Vector3(random() * 1.4 - 0.2, random() * 1.4 - 0.2, random() * 1.4 - 0.2),
        // A third of them along an axis, where a slab divides by nothing.
        to =
          i % 3
            ? new Vector3(random() - 0.5, random() - 0.5, random() - 0.5).normalize()
            : new Vector3(...([0, 1, 2].map((k) => (k === (i / 3) % 3 ? 1 : 0)) as [number, number, number])),
        hit = other.raycastFirst(new Ray(from, to), DoubleSide),
        found = tree.blocks(from.x, from.y, from.z, to.x, to.y, to.z, 0.3);
      if (found) blocked++;
      else free++;
      if (found !== Boolean(hit && hit.distance < 0.3)) wrong++;
    }
    // Rays through the edge of a triangle may go either way.
    expect(wrong).toBeLessThanOrEqual(1);
    expect(blocked).toBeGreaterThan(300);
    expect(free).toBeGreaterThan(300);
  });
});
