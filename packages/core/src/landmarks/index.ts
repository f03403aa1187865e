export type { Places } from './build.ts';
export { findLandmarks } from './find.ts';
export { FINGERS, type Finger, type JointFound, type Landmark, type Landmarks, type Point } from './landmark.ts';
export { bodySurface, landmarksOf } from './of-document.ts';
