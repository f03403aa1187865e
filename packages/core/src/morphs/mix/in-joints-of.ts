import { influencesOf, jointPosition } from '../../character/index.ts';
import { pairedJoints, type Person } from './people.ts';

interface Bone {
  /** Where it stands on the other, and on this one. */
  from: readonly number[];
  to: readonly number[];
  scale: number;
}

/** Bones of the other that this one has; one that it hasn't goes with the one above. */
function bonesOf(own: Person, other: Person): (Bone | null)[] {
  const { parent, joints } = other.skeleton,
    pairs = new Int32Array(joints.length).fill(-1),
    here = (j: number) => jointPosition(own.skeleton, pairs[j]),
    there = (j: number) => jointPosition(other.skeleton, j),
    lengths = joints.map(() => ({ own: 0, other: 0 }));
  pairedJoints(own, other).forEach((theirs, ours) => {
    if (theirs >= 0) pairs[theirs] = ours;
  });
  for (let j = 0; j < joints.length; j++) {
    const above = parent[j];
    if (above < 0 || pairs[j] < 0 || pairs[above] < 0) continue;
    lengths[above].own += distance(here(j), here(above));
    lengths[above].other += distance(there(j), there(above));
  }
  const bones: (Bone | null)[] = [];
  for (let j = 0; j < joints.length; j++) {
    const above = parent[j] < 0 ? null : bones[parent[j]];
    if (pairs[j] < 0) {
      bones.push(above);
      continue;
    }
    const { own: ours, other: theirs } = lengths[j];
    bones.push({
      from: there(j),
      to: here(j),
      scale: ours > 1e-4 && theirs > 1e-4 ? ours / theirs : (above?.scale ?? 1),
    });
  }
  return bones;
}

const distance = (a: readonly number[], b: readonly number[]): number =>
  Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]);

/** The other's vertices with each bone moved to where this one has it and scaled by the lengths of the two, blended by the other's weights. */
export function inJointsOf(own: Person, other: Person): Float32Array {
  const bones = bonesOf(own, other),
    out = Float32Array.from(other.rest);
  for (const { part, first, vertices } of other.sheets) {
    const skin = part.node.getSkin(),
      influences = skin && influencesOf(part.prim);
    if (!skin || !influences) continue;
    const boneOf = skin.listJoints().map((joint) => bones[other.skeleton.index.get(joint) ?? 0]),
      { perVertex, joints, weights } = influences;
    for (let v = 0; v < vertices; v++) {
      const o = (first + v) * 3,
        sum = [0, 0, 0];
      let total = 0;
      for (let k = v * perVertex; k < (v + 1) * perVertex; k++) {
        const bone = boneOf[joints[k]];
        if (!weights[k] || !bone) continue;
        total += weights[k];
        for (let c = 0; c < 3; c++)
          sum[c] += weights[k] * (bone.to[c] + bone.scale * (other.rest[o + c] - bone.from[c]));
      }
      if (total > 0) for (let c = 0; c < 3; c++) out[o + c] = sum[c] / total;
    }
  }
  return out;
}
