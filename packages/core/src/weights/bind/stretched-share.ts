import type { Document } from '@gltf-transform/core';
import { createDeformer, type Skeleton } from '../../character/index.ts';
import { jointRoles, motionFrom, poseSkeleton, RANGE_OF_MOTION, type RoleFound, roleIndex } from '../../rig/index.ts';

/** How every joint moves away from rest in each pose of the range of motion: 16 numbers a joint. */
export function rangeOfMotion(skeleton: Skeleton, roles: readonly RoleFound[]): Float64Array[] {
  const index = roleIndex(roles);
  return RANGE_OF_MOTION.map((pose) => motionFrom(skeleton, poseSkeleton(skeleton, index, pose)));
}

/** Share of edges that become over twice as long in the worst pose of the range of motion, per cent. */
export function stretchedShare(document: Document): number {
  const deformer = createDeformer(document),
    roles = roleIndex(jointRoles(document, deformer.skeleton));
  const rest = deformer.evaluate(new Float32Array(deformer.vertices * 3)),
    now = new Float32Array(rest.length),
    { indices } = deformer;
  const long = (p: Float32Array, a: number, b: number) =>
    (p[a] - p[b]) ** 2 + (p[a + 1] - p[b + 1]) ** 2 + (p[a + 2] - p[b + 2]) ** 2;
  let worst = 0;
  for (const pose of RANGE_OF_MOTION) {
    deformer.evaluate(now, {}, poseSkeleton(deformer.skeleton, roles, pose));
    let over = 0,
      edges = 0;
    for (let t = 0; t < indices.length; t += 3) {
      const a = indices[t] * 3,
        b = indices[t + 1] * 3,
        was = long(rest, a, b);
      if (was < 1e-10) continue;
      edges++;
      if (long(now, a, b) > 4 * was) over++;
    }
    worst = Math.max(worst, edges ? over / edges : 0);
  }
  return Math.round(worst * 10000) / 100;
}
