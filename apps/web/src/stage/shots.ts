import { type HumanoidRole, jointPosition } from '@dimetra/core';
import * as THREE from 'three';
import type { Jump } from '../store/view-slice.ts';
import type { StageFigure } from '../figure/build.ts';

/** Places to look from beyond the stage's own jumps. */
export type Shot = Jump | 'side' | 'head from the side';

/**
 * Where a shot looks at, from which side and how far; distances follow the figure's height. Close by it looks at where
 * joints are now, in a pose or a motion; the whole figure keeps its middle at rest.
 */
export function shotOf(
  figure: StageFigure,
  to: Shot,
): { target: THREE.Vector3; direction: THREE.Vector3; distance: number; height: number; width: number } {
  const rest = (role: HumanoidRole) => {
    const i = figure.roles.get(role);
    return i === undefined ? null : new THREE.Vector3(...jointPosition(figure.skeleton, i));
  };
  const joint = (role: HumanoidRole) => {
    const bone = figure.bones[figure.roles.get(role) ?? -1];
    return bone ? new THREE.Vector3().setFromMatrixPosition(bone.matrixWorld) : rest(role);
  };
  const { height, width, middle } = sizeOf(figure, rest('head'), rest('leftFoot'));
  const head = joint('head') ?? new THREE.Vector3(middle.x, figure.bounds.max.y - height * 0.1, middle.z);
  const eye = joint('leftEye'),
    other = joint('rightEye');
  const eyes =
    eye && other
      ? eye.clone().add(other).multiplyScalar(0.5)
      : head.clone().add(new THREE.Vector3(0, height * 0.035, height * 0.04));
  const hand = joint('leftMiddleProximal') ?? joint('leftHand'),
    foot = joint('leftFoot'),
    otherFoot = joint('rightFoot') ?? foot;
  const shots: Record<Shot, [THREE.Vector3, THREE.Vector3, number]> = {
    // A little below the middle: the bar of looks lies over the lower edge.
    figure: [middle.clone().setY(middle.y - height * 0.06), new THREE.Vector3(0.12, 0.06, 1), height * 2.65],
    behind: [middle.clone().setY(middle.y - height * 0.06), new THREE.Vector3(-0.2, 0.06, -1), height * 2.65],
    side: [middle, new THREE.Vector3(1, 0.06, 0.02), height * 2.5],
    'head from the side': [
      new THREE.Vector3(eyes.x, (eyes.y + head.y) / 2 + height * 0.005, head.z),
      new THREE.Vector3(1, 0.04, 0.05),
      height * 0.52,
    ],
    head: [
      new THREE.Vector3(eyes.x, (eyes.y + head.y) / 2 + height * 0.005, head.z),
      new THREE.Vector3(0.55, 0.08, 1),
      height * 0.52,
    ],
    eyes: [eyes, new THREE.Vector3(0.12, 0.02, 1), height * 0.2],
    mouth: [
      eyes.clone().add(turned(figure, 'head', new THREE.Vector3(0, -height * 0.04, 0))),
      new THREE.Vector3(0.25, -0.02, 1),
      height * 0.2,
    ],
    hands: [hand ?? middle, new THREE.Vector3(1, 0.35, 0.6), height * 0.42],
    feet: [
      foot && otherFoot ? foot.clone().add(otherFoot).multiplyScalar(0.5) : new THREE.Vector3(0, 0.1, 0),
      new THREE.Vector3(0.6, 0.45, 1),
      height * 0.75,
    ],
  };
  const [target, direction, distance] = shots[to];
  return { target, direction: direction.normalize(), distance, height, width };
}

/** A direction as a joint's turn away from rest takes it along. */
function turned({ bones, roles, skeleton }: StageFigure, role: HumanoidRole, direction: THREE.Vector3): THREE.Vector3 {
  const i = roles.get(role) ?? -1;
  if (!bones[i]) return direction;
  const now = new THREE.Quaternion(),
    before = new THREE.Quaternion(),
    unused = new THREE.Vector3();
  bones[i].matrixWorld.decompose(unused, now, unused);
  new THREE.Matrix4().fromArray(skeleton.global, i * 16).decompose(unused, before, unused);
  return direction.applyQuaternion(now.multiply(before.invert()));
}

/** A head's joint stands this share of the height above the ankle. */
const HEAD_ABOVE_FOOT = 0.84;

/** A figure's size and middle by its box; where that is torn apart by a broken bind, by its joints. */
function sizeOf(
  { bounds }: StageFigure,
  head: THREE.Vector3 | null,
  foot: THREE.Vector3 | null,
): { height: number; width: number; middle: THREE.Vector3 } {
  const size = bounds.getSize(new THREE.Vector3()),
    tall = head && foot ? (head.y - foot.y) / HEAD_ABOVE_FOOT : 0;
  if (head && foot && tall > 0 && Math.max(size.x, size.y, size.z) > 1.5 * tall)
    return { height: tall, width: tall, middle: new THREE.Vector3(head.x, foot.y + 0.44 * tall, head.z) };
  return { height: size.y || 1.7, width: size.x, middle: bounds.getCenter(new THREE.Vector3()) };
}

/** Shots of a figure as a whole; all others are close up. */
export const isWhole = (to: Shot): boolean => to === 'figure' || to === 'behind' || to === 'side';

/**
 * How far what lies around a place has moved, the mean.
 * @param moved how far vertices went, in their mesh: part id → xyz @param wide metres around the place
 */
export function movedNear(
  figure: StageFigure,
  moved: ReadonlyMap<string, Float32Array>,
  place: THREE.Vector3,
  wide: number,
): THREE.Vector3 {
  const sum = new THREE.Vector3();
  let count = 0;
  for (const { part } of figure.parts) {
    const rest = part.prim.getAttribute('POSITION')?.getArray(),
      offset = moved.get(part.id);
    if (!rest || !offset) continue;
    for (let i = 0; i < offset.length; i += 3) {
      const x = rest[i] - place.x,
        y = rest[i + 1] - place.y,
        z = rest[i + 2] - place.z;
      if (x * x + y * y + z * z > wide * wide) continue;
      count++;
      sum.x += offset[i];
      sum.y += offset[i + 1];
      sum.z += offset[i + 2];
    }
  }
  return count ? sum.divideScalar(count) : sum;
}
