import { cross, dot, sub, unit, type Vec3 } from '@dimetra/core';
import type { JointSpec } from '../body/joints.ts';
import type { FigurePart } from './part.ts';

/** A joint that bends by a right angle, and the direction the far bone bends to. */
const BENDS = [
  { morph: 'elbow_bent_l', joint: 'elbow_l', end: 'wrist_l', to: [0, 0, 1] },
  { morph: 'elbow_bent_r', joint: 'elbow_r', end: 'wrist_r', to: [0, 0, 1] },
  { morph: 'knee_bent_l', joint: 'knee_l', end: 'foot_l', to: [0, 0, -1] },
  { morph: 'knee_bent_r', joint: 'knee_r', end: 'foot_r', to: [0, 0, -1] },
] as const;

/**
 * Morphs that give elbows and knees, bent by 90 degrees with linear blend skinning, the volume back that it loses:
 * each vertex is turned about the joint by its share of the angle instead of being averaged between the two bones, and
 * that difference is taken back through the skinning to the rest pose (pose space deformation, Lewis et al. 2000).
 * Adds to the morphs of every part that bends there.
 */
export function addCorrectives(parts: readonly FigurePart[], joints: readonly JointSpec[]): void {
  const at = new Map(joints.map((joint) => [joint.name, joint.at]));
  for (const bend of BENDS) {
    const below = new Set<number>(),
      names = new Set<string>([bend.joint]);
    joints.forEach((joint, i) => {
      if (names.has(joint.name) || (joint.parent && names.has(joint.parent))) {
        names.add(joint.name);
        below.add(i);
      }
    });
    const pivot = at.get(bend.joint) as Vec3,
      axis = unit(cross(unit(sub(at.get(bend.end) as Vec3, pivot)), bend.to));
    for (const part of parts) {
      const delta = correction(part, below, pivot, axis, Math.PI / 2);
      if (delta) part.morphs.set(bend.morph, delta);
    }
  }
}

function correction(
  { surface, bound }: FigurePart,
  below: ReadonlySet<number>,
  pivot: Vec3,
  axis: Vec3,
  angle: number,
): Float32Array | null {
  const out = new Float32Array(surface.positions.length);
  let moved = false;
  for (let v = 0; v < surface.origin.length; v++) {
    let w = 0;
    for (let k = v * bound.perVertex; k < (v + 1) * bound.perVertex; k++)
      if (below.has(bound.joints[k])) w += bound.weights[k];
    if (w < 0.01 || w > 0.99) continue;
    // In the plane of the bend, blending is a product with (1 − w) + w·e^(iθ), turning one with e^(iwθ).
    const re = 1 - w + w * Math.cos(angle),
      im = w * Math.sin(angle),
      size = re * re + im * im;
    const c = (Math.cos(w * angle) * re + Math.sin(w * angle) * im) / size - 1,
      s = (Math.sin(w * angle) * re - Math.cos(w * angle) * im) / size;
    const d = sub(surface.positions.subarray(v * 3, v * 3 + 3), pivot),
      along = dot(d, axis),
      flat = d.map((x, k) => x - along * axis[k]),
      side = cross(axis, flat);
    for (let k = 0; k < 3; k++) {
      const m = c * flat[k] + s * side[k];
      if (Math.abs(m) > 2e-5) {
        out[v * 3 + k] = m;
        moved = true;
      }
    }
  }
  return moved ? out : null;
}
