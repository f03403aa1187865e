export { ballThrough } from './similar.ts';
export { bodyOfSample, liesOnBody } from './body-of.ts';
export { type FigureWithBody, learnWithBody, packFigure, unpackFigure } from './figure-archive.ts';
export { fitMapsStep } from './maps-step.ts';
export { fitMorphsStep } from './morphs-step.ts';
export { seatStep } from './seat-step.ts';
export { wrapStep } from './wrap-step.ts';
