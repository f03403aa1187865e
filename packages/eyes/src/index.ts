export { look } from './look.ts';
export { lookAtMotion, type Placed } from './motion.ts';
export { placesDrawn } from './places.ts';
export type { Seen } from './seen.ts';
export type { MorphSeen } from './body.ts';
export type { ImageSeen } from './images.ts';
export type { DeliveredFile } from './raw.ts';
export type { Validation, ValidatorNote } from './validate.ts';
export type { VrmSeen } from './vrm.ts';
