import { describe, expect, it } from 'vitest';
import { seededRandom } from '../geometry/index.ts';
import { sameVertices, vertexDistance } from './same-vertices.ts';

const random = seededRandom(9),
  cloud = Float32Array.from({ length: 3000 }, () => random() * 2 - 1),
  one = new Uint16Array(1000);

describe('sameVertices', () => {
  it('finds each vertex by its place, in any order, to a hundredth of a millimetre', () => {
    const order = [...one.keys()].reverse(),
      moved = Float32Array.from(order.flatMap((v) => [0, 1, 2].map((k) => cloud[v * 3 + k] + (random() - 0.5) * 2e-5)));
    expect([...sameVertices(cloud, moved, one, one)]).toEqual(order);
  });
  it('finds none where none is, and none of another group', () => {
    expect(
      sameVertices(
        cloud,
        cloud.map((x) => x + 0.001),
        one,
        one,
      ).every((v) => v === -1),
    ).toBe(true);
    expect(
      sameVertices(
        cloud,
        cloud,
        one,
        one.map(() => 1),
      ).every((v) => v === -1),
    ).toBe(true);
  });
  it('measures sliding that the distance of surfaces hides', () => {
    const same = sameVertices(cloud, cloud, one, one);
    expect(
      vertexDistance(
        cloud,
        cloud.map((x, i) => (i % 3 === 0 ? x + 0.003 : x)),
        same,
      ),
    ).toEqual({ rmsMm: 3, maxMm: 3 });
    expect(vertexDistance(cloud, cloud, same)).toEqual({ rmsMm: 0, maxMm: 0 });
  });
});
