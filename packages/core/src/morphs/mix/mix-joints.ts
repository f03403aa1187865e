import { jointPosition } from '../../character/index.ts';
import { jointStencils } from '../joint-stencils.ts';
import type { PreparedMix } from './prepare.ts';
import type { Moving } from './mix-worn.ts';
import { pairedJoints } from './people.ts';

/**
 * How far joints go, xyz a joint, metres: each stands among the vertices around it as a mix of how it stands among them in
 * each figure, so that at the ends it is where that figure has it.
 */
export function mixedJointShifts({ own, others }: PreparedMix, { moved, shares }: Moving): Float64Array {
  const { skeleton } = own,
    known = own.deformer.ranges.filter((_, i) => others.every(({ matches }) => matches[i])),
    { start, vertex, share } = jointStencils(
      { ...own.deformer, ranges: known.length ? known : own.deformer.ranges },
      own.rest,
      own.roles.map(({ role }) => role),
    ),
    out = new Float64Array(skeleton.joints.length * 3),
    w = others.map(() => new Float64Array(skeleton.joints.length)),
    pairs = others.map(({ person }) => pairedJoints(own, person));
  for (let j = 0; j < skeleton.joints.length; j++) {
    const at = jointPosition(skeleton, j),
      above = skeleton.parent[j],
      free = start[j] === start[j + 1];
    if (free && above >= 0) for (let c = 0; c < 3; c++) out[j * 3 + c] = out[above * 3 + c];
    others.forEach(({ person, places }, k) => {
      w[k][j] = free ? (above >= 0 ? w[k][above] : 0) : shareAround(start, vertex, share, j, shares[k]);
      if (pairs[k][j] < 0) return;
      const there = jointPosition(person.skeleton, pairs[k][j]);
      // Without vertices of its own it is known by where it stands from the one above.
      if (free) {
        if (above < 0 || pairs[k][above] < 0) return;
        const [here, theirs] = [jointPosition(skeleton, above), jointPosition(person.skeleton, pairs[k][above])];
        for (let c = 0; c < 3; c++) out[j * 3 + c] += w[k][j] * (there[c] - theirs[c] - at[c] + here[c]);
        return;
      }
      for (let c = 0; c < 3; c++) {
        let stands = there[c] - at[c];
        for (let i = start[j]; i < start[j + 1]; i++)
          stands -= share[i] * (places[vertex[i] * 3 + c] - own.rest[vertex[i] * 3 + c]);
        out[j * 3 + c] += w[k][j] * stands;
      }
    });
    for (let i = start[j]; i < start[j + 1]; i++)
      for (let c = 0; c < 3; c++) out[j * 3 + c] += share[i] * moved[vertex[i] * 3 + c];
  }
  return out;
}

/** Another figure's share around a joint: the mean of those of its vertices, each as much as the joint leans on it. */
function shareAround(
  start: Uint32Array,
  vertex: Uint32Array,
  share: Float64Array,
  j: number,
  shares: Float32Array,
): number {
  let sum = 0,
    total = 0;
  for (let i = start[j]; i < start[j + 1]; i++) {
    sum += Math.abs(share[i]) * shares[vertex[i]];
    total += Math.abs(share[i]);
  }
  return total > 0 ? sum / total : 0;
}
