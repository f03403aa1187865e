import type { Document } from '@gltf-transform/core';
import { jointPosition, type Skeleton, skeletonOf } from '../../character/index.ts';
import { degreesOf, quatConjugate, quatMultiply, rotationOf, type Quat, type Vec3 } from '../../geometry/index.ts';

export interface BvhOptions {
  scale: number;
  /** Global joint matrices of each frame, 16 per joint of the skeleton; the rest alone where not given. */
  frames: readonly Float64Array[];
  frameSeconds: number;
}

/** Joints in the order in which a hierarchy names them: each before what hangs on it. */
export function bvhOrder({ parent }: Pick<Skeleton, 'parent'>): number[] {
  const out: number[] = [],
    visit = (above: number): void =>
      parent.forEach((of, i) => {
        if (of !== above) return;
        out.push(i);
        visit(i);
      });
  visit(-1);
  return out;
}

/** Writes the skeleton as BVH: rest as offsets along the world's axes, motion as ZXY angles in degrees. */
export function writeBvh(document: Document, options: Partial<BvhOptions> = {}): Uint8Array {
  const skeleton = skeletonOf(document);
  const { scale = 100, frames = [skeleton.global], frameSeconds = 1 / 30 } = options;
  const at = (i: number): Vec3 => {
    const p = jointPosition(skeleton, i);
    return [p[0] * scale, p[1] * scale, p[2] * scale];
  };
  const number = (x: number) => (Math.round(x * 1e5) / 1e5).toFixed(5);
  const lines: string[] = ['HIERARCHY'],
    order = bvhOrder(skeleton);
  const write = (i: number, depth: number): void => {
    const parent = skeleton.parent[i],
      pad = '\t'.repeat(depth),
      own = at(i),
      above = parent >= 0 ? at(parent) : null;
    lines.push(
      `${pad}${parent >= 0 ? 'JOINT' : 'ROOT'} ${skeleton.joints[i].getName().replace(/\s+/g, '_') || `joint_${i + 1}`}`,
      `${pad}{`,
      `${pad}\tOFFSET ${own.map((x, k) => number(x - (above ? above[k] : 0))).join(' ')}`,
    );
    lines.push(
      `${pad}\tCHANNELS ${parent >= 0 ? '3' : '6 Xposition Yposition Zposition'} Zrotation Xrotation Yrotation`,
    );
    const children = skeleton.joints.flatMap((_, c) => (skeleton.parent[c] === i ? [c] : []));
    for (const child of children) write(child, depth + 1);
    if (!children.length)
      lines.push(`${pad}\tEnd Site`, `${pad}\t{`, `${pad}\t\tOFFSET 0 ${number(0.02 * scale)} 0`, `${pad}\t}`);
    lines.push(`${pad}}`);
  };
  skeleton.parent.forEach((parent, i) => {
    if (parent < 0) write(i, 0);
  });
  lines.push('MOTION', `Frames: ${frames.length}`, `Frame Time: ${frameSeconds.toFixed(7)}`);
  for (const posed of frames) {
    // Motion away from rest, in the world's axes: the only turn BVH knows.
    const motion = skeleton.joints.map((_, i) =>
      quatMultiply(rotationOf(posed, i * 16), quatConjugate(rotationOf(skeleton.global, i * 16))),
    );
    const row: string[] = [];
    for (const i of order) {
      const parent = skeleton.parent[i];
      if (parent < 0)
        for (let k = 0; k < 3; k++)
          row.push(number((posed[i * 16 + 12 + k] - skeleton.global[i * 16 + 12 + k]) * scale));
      row.push(
        ...anglesZxy(parent < 0 ? motion[i] : quatMultiply(quatConjugate(motion[parent]), motion[i])).map(number),
      );
    }
    lines.push(row.join(' '));
  }
  return new TextEncoder().encode(`${lines.join('\n')}\n`);
}

/** Angles z, x, y in degrees with R = Rz·Rx·Ry. */
export function anglesZxy([x, y, z, w]: Quat): [number, number, number] {
  const m21 = 2 * (y * z + x * w),
    m20 = 2 * (x * z - y * w),
    m22 = 1 - 2 * (x * x + y * y),
    m01 = 2 * (x * y - z * w),
    m11 = 1 - 2 * (x * x + z * z);
  // Of the same last bit on every machine.
  const turn = (y: number, x: number): number => {
    const angle = degreesOf(y, x);
    return angle > 180 ? angle - 360 : angle;
  };
  const ax = turn(m21, Math.sqrt(Math.max(0, 1 - m21 * m21)));
  if (Math.abs(m21) > 0.999999) return [turn(2 * (x * y + z * w), 1 - 2 * (y * y + z * z)), ax, 0];
  return [turn(-m01, m11), ax, turn(-m20, m22)];
}
