export { type ForeignLayout, foreignLayout, type KnownLayout } from './foreign-layout.ts';
export { MOST_SEAMS, seamPlaces } from './seams.ts';
export { seamsFit } from './seams-fit.ts';
export { seamsOfMaterial } from './seams-of-material.ts';
export { type SmallPicture, smallPicture } from './small-picture.ts';
