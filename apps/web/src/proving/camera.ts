import { type PerspectiveCamera, Vector3 } from 'three';
import type { Orbit } from './controls.ts';
import type { Walker } from './walk.ts';

/** From here on it turns from the body to the face, metres, and over how many. */
const FACE_FROM = 2.4,
  FACE_OVER = 1.4;
/** What it looks at, parts of the height: the middle of the body, and how much higher the face is. */
const MIDDLE = 0.56,
  TO_FACE = 0.36;
/** What is larger than anybody is looked at from where one would look at a tall person. */
const MOST_M = 4;

const at = new Vector3();

/** Puts the camera round somebody `tall` metres tall: the body from afar, the face close up, never under the ground. */
export function lookAt(
  camera: PerspectiveCamera,
  { yaw, pitch, distance }: Orbit,
  { x, y, z }: Walker,
  tall: number,
): void {
  const near = Math.max(0, Math.min(1, (FACE_FROM - distance) / FACE_OVER));
  at.set(x, y + Math.min(tall, MOST_M) * (MIDDLE + TO_FACE * near), z);
  camera.position.set(
    at.x + Math.sin(yaw) * Math.cos(pitch) * distance,
    Math.max(y + 0.08, at.y + Math.sin(pitch) * distance),
    at.z + Math.cos(yaw) * Math.cos(pitch) * distance,
  );
  camera.lookAt(at);
}
