import { type Camera, lookAt } from './camera.ts';
import type { Scene } from './scene.ts';

type Point = [number, number, number];

/** Where a view looks from: enough to look from there again. */
export interface View {
  name: string;
  /** What it looks at, world metres, and how many metres it sees from top to bottom. */
  middle: Point;
  heightM: number;
  /** Degrees to the figure's left of straight ahead, and above. */
  yaw: number;
  pitch: number;
  /** Pose of the range of motion that the figure takes; at rest where left out. */
  pose?: string;
  /** Both figures close their eyes, where they can. */
  shut?: true;
}

export const cameraOf = ({ middle, heightM, yaw, pitch }: View): Camera => lookAt(middle, heightM, yaw, pitch);

/** Of a figure that is as tall as most: views are cut to others by their height. */
const USUAL_HEIGHT = 1.75;
/**
 * Metres from top to bottom of a picture of 384 pixels, for each metre that the viewer is away, at which its pixels are as
 * large as those of a screen of 1080 lines that shows 50°.
 */
const SEEN_PER_METRE = 0.33;
/** A view of a part of the figure that would have to be wider by more than this shows nothing that another doesn't. */
const MOST_WIDENED = 2.5;

/**
 * Views that show what is looked at in a person: the figure from four sides, head, eyes, mouth, hair, hand, feet; and with
 * arms raised and mouth open.
 * @param joint position of the joint that plays a role, at rest
 * @param nearestM how near the viewer comes
 */
export function standardViews(scene: Scene, joint: (role: string) => Point | null, nearestM: number): View[] {
  const all = boxOf(scene);
  if (!all) return [];
  const { low, high } = all,
    tall = Math.max(high[0] - low[0], high[1] - low[1]) * 1.06,
    unit = (high[1] - low[1]) / USUAL_HEIGHT;
  const middle: Point = [(low[0] + high[0]) / 2, (low[1] + high[1]) / 2, (low[2] + high[2]) / 2];
  const at = (from: Point, x: number, y: number, z: number): Point => [
    from[0] + x * unit,
    from[1] + y * unit,
    from[2] + z * unit,
  ];
  const eyes = eyesOf(scene, joint) ?? at([middle[0], high[1], middle[2]], 0, -0.11, 0.09),
    head = at(eyes, 0, 0.01, -0.08),
    mouth = mouthOf(scene) ?? at(eyes, 0, -0.066, 0.005),
    hand = handOf(scene, joint, unit),
    feet: Point = [middle[0], low[1] + 0.08 * unit, middle[2]];
  const views: View[] = [
    { name: 'figure, front', middle, heightM: tall, yaw: 0, pitch: 4 },
    { name: 'figure, left', middle, heightM: tall, yaw: 60, pitch: 8 },
    { name: 'figure, back', middle, heightM: tall, yaw: 180, pitch: 4 },
    { name: 'figure, right', middle, heightM: tall, yaw: -120, pitch: 12 },
    { name: 'head, left', middle: head, heightM: 0.36 * unit, yaw: 40, pitch: 3 },
    { name: 'head, right', middle: head, heightM: 0.36 * unit, yaw: -40, pitch: 3 },
    { name: 'hair, behind', middle: head, heightM: 0.36 * unit, yaw: 180, pitch: 10 },
    { name: 'hair, above', middle: head, heightM: 0.36 * unit, yaw: -25, pitch: 55 },
    { name: 'eyes', middle: eyes, heightM: 0.13 * unit, yaw: 0, pitch: 0 },
    { name: 'left eye', middle: at(eyes, 0.033, 0, 0), heightM: 0.055 * unit, yaw: 25, pitch: 8 },
    { name: 'eyes closed', middle: eyes, heightM: 0.13 * unit, yaw: 0, pitch: 0, shut: true },
    { name: 'mouth', middle: mouth, heightM: 0.1 * unit, yaw: 15, pitch: 0 },
    { name: 'left hand', middle: hand, heightM: 0.26 * unit, yaw: 30, pitch: 45 },
    { name: 'feet', middle: feet, heightM: 0.4 * unit, yaw: 25, pitch: 25 },
    { name: 'arms raised', middle: at(middle, 0, 0.2, 0), heightM: tall * 1.1, yaw: 20, pitch: 4, pose: 'arms raised' },
    { name: 'mouth open', middle: at(mouth, 0, -0.01, 0), heightM: 0.12 * unit, yaw: 10, pitch: 0, pose: 'jaw open' },
  ];
  return views.flatMap((view) => {
    const heightM = Math.max(view.heightM, SEEN_PER_METRE * nearestM);
    return heightM > view.heightM * MOST_WIDENED && !view.name.startsWith('figure')
      ? []
      : [{ ...view, heightM: toMillimetres(heightM), middle: view.middle.map(toMillimetres) as Point }];
  });
}

/** The same camera, however the last digit of a coordinate fell. */
const toMillimetres = (x: number): number => Math.round(x * 1000) / 1000;

function boxOf({ parts, position }: Scene, role?: string): { low: Point; high: Point } | null {
  const low: Point = [Infinity, Infinity, Infinity],
    high: Point = [-Infinity, -Infinity, -Infinity];
  for (const part of parts) {
    if (role !== undefined && part.role !== role) continue;
    for (let v = part.firstVertex; v < part.firstVertex + part.vertices; v++)
      for (let k = 0; k < 3; k++) {
        const x = position[v * 3 + k];
        if (x < low[k]) low[k] = x;
        if (x > high[k]) high[k] = x;
      }
  }
  return low[0] > high[0] ? null : { low, high };
}

/** Between the eyes, on their front. */
function eyesOf(scene: Scene, joint: (role: string) => Point | null): Point | null {
  const box = boxOf(scene, 'eyes');
  if (box) return [(box.low[0] + box.high[0]) / 2, (box.low[1] + box.high[1]) / 2, box.high[2]];
  const left = joint('leftEye'),
    right = joint('rightEye');
  return left && right && [(left[0] + right[0]) / 2, (left[1] + right[1]) / 2, (left[2] + right[2]) / 2 + 0.012];
}

function mouthOf(scene: Scene): Point | null {
  const box = boxOf(scene, 'teeth');
  return box && [(box.low[0] + box.high[0]) / 2, (box.low[1] + box.high[1]) / 2, box.high[2]];
}

function handOf(scene: Scene, joint: (role: string) => Point | null, unit: number): Point {
  const wrist = joint('leftHand'),
    finger = joint('leftMiddleProximal');
  if (wrist && finger) return [0, 1, 2].map((k) => wrist[k] + (finger[k] - wrist[k]) * 1.2) as Point;
  const box = boxOf(scene, 'hands') ?? boxOf(scene);
  if (!box) return [0, 0, 0];
  return [box.high[0] - 0.09 * unit, (box.low[1] + box.high[1]) / 2, (box.low[2] + box.high[2]) / 2];
}
