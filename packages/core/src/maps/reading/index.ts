export { type GreenFound, judgeGreen } from './green.ts';
export { type GlossAsked, type GlossFound, judgeGloss } from './gloss.ts';
export { GREY, type Holding, judgeHolding } from './holds.ts';
export { judgeLayout, type LayoutFound, type Letter, type SurfaceChannel, type SurfaceLayout } from './layout.ts';
export { isOneValue, type MapStatistics, mapStatistics, middleValue } from './statistics.ts';
export { type Curved, judgeCurve } from './transfer.ts';
