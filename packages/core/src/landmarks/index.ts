export { findLandmarks } from './find.ts';
export { FINGERS, type Finger, type Landmark, type Landmarks } from './landmark.ts';
export { landmarksOf } from './of-document.ts';
