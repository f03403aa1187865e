import type { Document, Node } from '@gltf-transform/core';
import { createDeformer, globalMatrix, type Skeleton, skeletonOf } from '../character/index.ts';
import {
  decompose,
  emptyBounds,
  growBounds,
  invertAffine,
  multiply,
  quatAngle,
  quatConjugate,
  quatMultiply,
  type Quat,
} from '../geometry/index.ts';
import { poseByTurns } from '../rig/index.ts';

/** How a joint stands under the one above. */
export interface Stand {
  t: number[];
  r: number[];
}

/** Where joints stand, turned by whole turns away from their rest, per joint: 16 each. */
export function turnedJoints(skeleton: Skeleton, turns: readonly Quat[]): Float64Array {
  // Each joint's own share of the turn: what it adds to the joint above.
  const own = turns.map((turn, j) =>
    skeleton.parent[j] < 0 ? turn : quatMultiply(quatConjugate(turns[skeleton.parent[j]]), turn),
  );
  return poseByTurns(skeleton, new Map([...own.entries()].filter(([, turn]) => quatAngle(turn) > 1e-7)));
}

/** Stands the joints' nodes where `posed` says; mesh and binds are left alone. @returns those that moved, as they stood before */
export function standJoints(skeleton: Skeleton, posed: Float64Array): Map<number, Stand> {
  const moved = new Map<number, Stand>(),
    inverse = new Float64Array(16),
    local = new Float64Array(16);
  skeleton.joints.forEach((joint, j) => {
    const above = joint.getParentNode();
    if (above) {
      invertAffine(inverse, 0, globalMatrix(above), 0);
      multiply(local, 0, inverse, 0, posed, j * 16);
    } else local.set(posed.subarray(j * 16, j * 16 + 16));
    const { translation, rotation } = decompose(local),
      t = joint.getTranslation(),
      r = joint.getRotation();
    if (
      translation.every((x, k) => Math.abs(x - t[k]) < 1e-7) &&
      Math.abs(rotation[0] * r[0] + rotation[1] * r[1] + rotation[2] * r[2] + rotation[3] * r[3]) > 1 - 1e-12
    )
      return;
    moved.set(j, { t, r });
    joint.setTranslation(translation).setRotation(rotation);
  });
  return moved;
}

/**
 * Poses a figure by turning its joints as `turns` say, its lowest point where it was: the mesh follows as skinning has
 * it, and nothing is baked. Changes `document`.
 */
export function standAs(document: Document, turns: readonly Quat[], skeleton: Skeleton = skeletonOf(document)): void {
  const floor = lowest(document);
  standJoints(skeleton, turnedJoints(skeleton, turns));
  const off = floor - lowest(document);
  if (offTheFloor(off)) raise(skeleton, off);
}

export function lowest(document: Document): number {
  const deformer = createDeformer(document);
  return deformer.vertices
    ? growBounds(emptyBounds(), deformer.evaluate(new Float32Array(deformer.vertices * 3))).min[1]
    : 0;
}

/** Half a millimetre and less is left. */
export const offTheFloor = (off: number): boolean => Math.abs(off) > 5e-4 && Number.isFinite(off);

/** Moves all that joints hang under up or down. @returns what was moved, as it stood before */
export function raise(skeleton: Skeleton, off: number): Map<Node, Stand> {
  const roots = new Set(
    skeleton.joints
      .filter((_, j) => skeleton.parent[j] < 0)
      .map((joint) => {
        let at = joint;
        for (let above = at.getParentNode(); above; above = above.getParentNode()) at = above;
        return at;
      }),
  );
  const moved = new Map<Node, Stand>();
  for (const root of roots) {
    const t = root.getTranslation();
    moved.set(root, { t, r: root.getRotation() });
    root.setTranslation([t[0], t[1] + off, t[2]]);
  }
  return moved;
}
