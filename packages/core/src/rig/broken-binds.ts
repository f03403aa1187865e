import type { Document } from '@gltf-transform/core';
import { inverseBindsOf, skeletonOf, type Skeleton, copyDocument } from '../character/index.ts';
import { invertAffine, multiply } from '../geometry/index.ts';
import type { Finding } from '../problem.ts';

export interface BrokenBind {
  skin: number;
  /** Place in the skin's list of joints, and in the skeleton. */
  slot: number;
  joint: number;
  what: 'moved' | 'mirrored' | 'sheared' | 'scaled';
  /** How far the bind throws what follows the joint, at the joint's place; metres once the character stands. */
  metres: number;
}

/** A bind may be off by this before it counts as broken: parts of the skeleton's extent, and of unit length for axes. */
const OFF_EXTENT = 0.003,
  OFF_AXES = 0.02;

/**
 * Joints whose bind matrix doesn't fit their neighbours'. At rest M_j = G_j B_j is the motion since binding; along a
 * healthy chain it is the same from joint to joint, or turns and stays turned where the rest is a pose. A joint whose
 * M differs from its parent's while its children's agree with the parent's has a broken bind; so has one whose M
 * mirrors, shears or scales as its parent's does not.
 */
export function findBrokenBinds(document: Document, skeleton: Skeleton = skeletonOf(document)): BrokenBind[] {
  const out: BrokenBind[] = [],
    extent = extentOf(skeleton);
  document
    .getRoot()
    .listSkins()
    .forEach((skin, s) => {
      const binds = inverseBindsOf(skin),
        joints = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? -1);
      const slotOf = new Map(joints.map((joint, slot) => [joint, slot]));
      const motion = new Float64Array(binds.length);
      joints.forEach((joint, slot) => {
        if (joint >= 0) multiply(motion, slot * 16, skeleton.global, joint * 16, binds, slot * 16);
      });
      const broken = new Set<number>();
      /** Nearest joint above that is in the skin; with `sound`, the nearest whose own bind is right. */
      const above = (joint: number, sound = false): number => {
        for (let at = skeleton.parent[joint]; at >= 0; at = skeleton.parent[at]) {
          const slot = slotOf.get(at);
          if (slot !== undefined && !(sound && broken.has(slot))) return slot;
        }
        return -1;
      };
      // From the root outwards, so that a joint is judged by one that was found sound.
      const order = joints
        .map((_, slot) => slot)
        .filter((slot) => joints[slot] >= 0)
        .sort((x, y) => joints[x] - joints[y]);
      for (const slot of order) {
        const joint = joints[slot];
        const parent = above(joint, true);
        if (parent < 0) continue;
        const own = differs(motion, slot, parent, skeleton, joint, extent);
        if (!own) continue;
        const children = joints.flatMap((other, k) => (other >= 0 && above(other) === slot ? [k] : []));
        const agree = children.filter(
          (child) => !differs(motion, child, parent, skeleton, joints[child], extent),
        ).length;
        // A leaf has nobody to speak for it: only what no pose could do counts there.
        if (children.length ? agree * 2 >= children.length : own.what !== 'moved') {
          broken.add(slot);
          out.push({ skin: s, slot, joint, ...own });
        }
      }
    });
  return out;
}

function extentOf(skeleton: Skeleton): number {
  let most = 0;
  for (let k = 12; k < 15; k++) {
    let low = Infinity,
      high = -Infinity;
    for (let i = k; i < skeleton.global.length; i += 16) {
      low = Math.min(low, skeleton.global[i]);
      high = Math.max(high, skeleton.global[i]);
    }
    most = Math.max(most, high - low);
  }
  return Number.isFinite(most) ? most : 0;
}

/** The document itself where its binds are sound, else a copy with mended ones: to measure the body by. */
export function soundCopy(document: Document): Document {
  const broken = findBrokenBinds(document);
  if (!broken.length) return document;
  const copy = copyDocument(document);
  repairBinds(copy, findBrokenBinds(copy));
  return copy;
}

function differs(
  motion: Float64Array,
  slot: number,
  reference: number,
  skeleton: Skeleton,
  joint: number,
  extent: number,
): { what: BrokenBind['what']; metres: number } | null {
  const a = slot * 16,
    b = reference * 16,
    p = [skeleton.global[joint * 16 + 12], skeleton.global[joint * 16 + 13], skeleton.global[joint * 16 + 14]];
  let metres = 0,
    axes = 0;
  for (let k = 0; k < 3; k++) {
    let off = motion[a + 12 + k] - motion[b + 12 + k];
    for (let c = 0; c < 3; c++) {
      const d = motion[a + c * 4 + k] - motion[b + c * 4 + k];
      off += d * p[c];
      axes = Math.max(axes, Math.abs(d));
    }
    metres += off * off;
  }
  metres = Math.sqrt(metres);
  const own = shapeOf(motion, a),
    other = shapeOf(motion, b);
  if (own.sign !== other.sign) return { what: 'mirrored', metres };
  if (own.shear > other.shear + OFF_AXES) return { what: 'sheared', metres };
  if (Math.abs(own.scale / other.scale - 1) > OFF_AXES) return { what: 'scaled', metres };
  return metres > OFF_EXTENT * extent || axes > 0.1 ? { what: 'moved', metres } : null;
}

/** Handedness, mean scale and largest cosine between axes of a matrix's linear part. */
function shapeOf(m: Float64Array, o: number): { sign: number; scale: number; shear: number } {
  const axis = (c: number) => [m[o + c * 4], m[o + c * 4 + 1], m[o + c * 4 + 2]];
  const [x, y, z] = [axis(0), axis(1), axis(2)];
  const dot = (u: number[], v: number[]) => u[0] * v[0] + u[1] * v[1] + u[2] * v[2];
  const lengths = [x, y, z].map((u) => Math.hypot(...u) || 1e-12);
  const det =
    x[0] * (y[1] * z[2] - y[2] * z[1]) - x[1] * (y[0] * z[2] - y[2] * z[0]) + x[2] * (y[0] * z[1] - y[1] * z[0]);
  return {
    sign: Math.sign(det) || 1,
    scale: Math.cbrt(Math.abs(det)) || 1e-12,
    shear: Math.max(
      Math.abs(dot(x, y)) / (lengths[0] * lengths[1]),
      Math.abs(dot(y, z)) / (lengths[1] * lengths[2]),
      Math.abs(dot(x, z)) / (lengths[0] * lengths[2]),
    ),
  };
}

/** Gives broken binds the motion of the joint above: B_j = G_j⁻¹ M_parent. Changes `document`. */
export function repairBinds(
  document: Document,
  broken: readonly BrokenBind[],
  skeleton: Skeleton = skeletonOf(document),
): void {
  document
    .getRoot()
    .listSkins()
    .forEach((skin, s) => {
      const mine = broken.filter((entry) => entry.skin === s);
      if (!mine.length) return;
      const binds = inverseBindsOf(skin),
        joints = skin.listJoints().map((joint) => skeleton.index.get(joint) ?? -1);
      const bad = new Set(mine.map((entry) => entry.slot));
      const motion = new Float64Array(16),
        inverse = new Float64Array(16);
      for (const { slot, joint } of mine) {
        // The nearest joint above whose own bind is sound.
        let parent = -1;
        for (let at = skeleton.parent[joint]; at >= 0 && parent < 0; at = skeleton.parent[at]) {
          const found = joints.indexOf(at);
          if (found >= 0 && !bad.has(found)) parent = found;
        }
        if (parent < 0) continue;
        multiply(motion, 0, skeleton.global, joints[parent] * 16, binds, parent * 16);
        invertAffine(inverse, 0, skeleton.global, joint * 16);
        multiply(binds, slot * 16, inverse, 0, motion, 0);
      }
      skin.setInverseBindMatrices(document.createAccessor().setType('MAT4').setArray(Float32Array.from(binds)));
    });
}

const WORDS: Readonly<Record<BrokenBind['what'], string>> = {
  moved: 'sits somewhere else than',
  mirrored: 'is mirrored against',
  sheared: 'is sheared against',
  scaled: 'has another size than',
};
export const brokenBindFinding = (entry: BrokenBind, skeleton: Skeleton, unitMetres = 1): Finding => ({
  code: 'skeleton.broken-bind',
  severity: 'warning',
  message: `The bind of “${skeleton.joints[entry.joint].getName()}” ${WORDS[entry.what]} its neighbours': what follows it is thrown ${(entry.metres * unitMetres * 100).toFixed(1)} cm off. The run gives it its neighbours' bind.`,
  where: skeleton.joints[entry.joint].getName(),
  measured: Math.round(entry.metres * unitMetres * 1000),
  limit: 0,
  repair: 'skeleton.repair',
});
