import { eyeballs, liftOff, lidOver, trianglesOf } from '../../character/index.ts';
import type { PreparedMix } from '../mix/prepare.ts';

/** What lifts skin off the eyeballs that it lies clear of at rest: other polygons, and another's eyes, close a lid a little deeper. */
export function clearLids({ own: { deformer, rest, sheets }, skin }: PreparedMix): (moved: Float32Array) => void {
  const balls = eyeballs(deformer, rest),
    lids = sheets
      .filter(({ first }) => skin.pointOf[first] >= 0)
      .flatMap(({ part, first, vertices }) => {
        const places = rest.subarray(first * 3, (first + vertices) * 3);
        return balls.map((ball) => ({ ball, first, vertices, lid: lidOver(ball, trianglesOf(part.prim), places) }));
      })
      .filter(({ lid }) => lid.triangles.length);
  return (moved) => {
    for (const { ball, first, vertices, lid } of lids)
      liftOff(lid, moved.subarray(first * 3, (first + vertices) * 3), ball);
  };
}
