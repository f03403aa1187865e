import type { JointSpec } from './joints.ts';

export interface Bound {
  /** Joint index and weight, up to `most` per vertex. */
  joints: Uint16Array;
  weights: Float32Array;
  perVertex: number;
}

/**
 * Weights by distance to bones: each joint's bone is the segment to its children's mean; influence falls with the
 * fourth power of distance beyond the nearest, then is smoothed over the mesh so that no edge shows.
 */
export function bindByDistance(
  positions: ArrayLike<number>,
  triangles: ArrayLike<number>,
  joints: readonly JointSpec[],
  allowed: (joint: string, x: number) => boolean,
  rounds: number,
  most = 8,
): Bound {
  const index = new Map(joints.map((joint, i) => [joint.name, i]));
  const bones = joints.map((joint) => {
    const children = joints.filter(
      (child) =>
        child.parent === joint.name && !/end|twist|helper|strap|lid|brow|cheek|lip|nostril|tongue/.test(child.name),
    );
    const to = children.length
      ? [0, 1, 2].map((k) => children.reduce((sum, child) => sum + child.at[k] / children.length, 0))
      : joint.at;
    return { name: joint.name, from: joint.at, to };
  });
  const pit = armpit(joints);
  const count = positions.length / 3;
  const dense = new Map<number, Float32Array>();
  const column = (joint: number) => {
    let c = dense.get(joint);
    if (!c) {
      c = new Float32Array(count);
      dense.set(joint, c);
    }
    return c;
  };
  for (let v = 0; v < count; v++) {
    const p = [positions[v * 3], positions[v * 3 + 1], positions[v * 3 + 2]];
    const near: { joint: number; d: number }[] = [];
    const beside = pit(p);
    for (const bone of bones)
      if (allowed(bone.name, p[0]))
        near.push({
          joint: index.get(bone.name) as number,
          d:
            toSegment(p, bone.from, bone.to) +
            (ARM.test(bone.name) ? 5 * Math.max(0, -beside) : TRUNK.test(bone.name) ? 2 * Math.max(0, beside) : 0),
        });
    near.sort((a, b) => a.d - b.d);
    const first = Math.max(0.004, near[0].d);
    let sum = 0;
    const chosen = near.slice(0, 5).map(({ joint, d }) => {
      const w = (first / Math.max(0.004, d)) ** 6;
      sum += w;
      return { joint, w };
    });
    for (const { joint, w } of chosen) column(joint)[v] = w / sum;
  }
  smooth(dense, count, triangles, rounds);
  return gather(dense, count, most);
}

const ARM = /^(arm|elbow|fore|wrist|thumb|index|middle|ring|little)_/,
  TRUNK = /^(hips|waist|chest|clav|vest|thigh)/;

/**
 * Below the armpit the flank is as near to the arm's bone as to the spine, and would be pulled along like a wing when
 * the arm is raised. Metres on the arm's side of the line that halves the angle between flank and arm, negative on the
 * flank's, zero above the armpit.
 */
function armpit(joints: readonly JointSpec[]): (p: readonly number[]) => number {
  const shoulder = joints.find((joint) => joint.name === 'arm_l')?.at,
    elbow = joints.find((joint) => joint.name === 'elbow_l')?.at;
  if (!shoulder || !elbow) return () => 0;
  const size = Math.hypot(elbow[0] - shoulder[0], elbow[1] - shoulder[1]) / 0.293,
    x = shoulder[0] - 0.015 * size,
    y = shoulder[1] - 0.12 * size;
  return (p) => {
    const u = Math.abs(p[0]) - x,
      w = p[1] - y;
    return 0.383 * u - 0.924 * w > 0 ? 0.924 * u + 0.383 * w : 0;
  };
}

function toSegment(p: number[], a: readonly number[], b: readonly number[]): number {
  const u = [b[0] - a[0], b[1] - a[1], b[2] - a[2]],
    d = [p[0] - a[0], p[1] - a[1], p[2] - a[2]];
  const t = Math.max(
    0,
    Math.min(1, (u[0] * d[0] + u[1] * d[1] + u[2] * d[2]) / (u[0] ** 2 + u[1] ** 2 + u[2] ** 2 || 1)),
  );
  return Math.hypot(d[0] - u[0] * t, d[1] - u[1] * t, d[2] - u[2] * t);
}

function smooth(dense: Map<number, Float32Array>, count: number, triangles: ArrayLike<number>, rounds: number): void {
  const degree = new Float32Array(count);
  for (let t = 0; t < triangles.length; t++) degree[triangles[t]] += 2;
  for (const [joint, first] of dense) {
    let now = first;
    for (let round = 0; round < rounds; round++) {
      const sum = new Float32Array(count);
      for (let t = 0; t < triangles.length; t += 3) {
        const a = triangles[t],
          b = triangles[t + 1],
          c = triangles[t + 2];
        sum[a] += now[b] + now[c];
        sum[b] += now[a] + now[c];
        sum[c] += now[a] + now[b];
      }
      const next = new Float32Array(count);
      for (let v = 0; v < count; v++) next[v] = degree[v] ? now[v] * 0.4 + (sum[v] / degree[v]) * 0.6 : now[v];
      now = next;
    }
    dense.set(joint, now);
  }
}

/** Strongest `most` of each vertex, summing to one. */
export function gather(dense: ReadonlyMap<number, Float32Array>, count: number, most: number): Bound {
  const out: Bound = {
    joints: new Uint16Array(count * most),
    weights: new Float32Array(count * most),
    perVertex: most,
  };
  const columns = [...dense].sort((a, b) => a[0] - b[0]);
  for (let v = 0; v < count; v++) {
    const row: [number, number][] = [];
    for (const [joint, weights] of columns) if (weights[v] > 0.002) row.push([joint, weights[v]]);
    row.sort((a, b) => b[1] - a[1] || a[0] - b[0]);
    const kept = row.slice(0, most);
    const sum = kept.reduce((total, [, w]) => total + w, 0);
    kept.forEach(([joint, w], k) => {
      out.joints[v * most + k] = joint;
      out.weights[v * most + k] = w / sum;
    });
  }
  return out;
}
