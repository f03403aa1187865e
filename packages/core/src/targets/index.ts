export * from './schema.ts';
export * from './map-layout.ts';
export * from './shipped.ts';
export * from './skeleton-rule.ts';
export * from './figure.ts';
export { hanimFigure } from './hanim.ts';
export { SHIPPED_FIGURES, figureOf, shippedFigure } from './shipped-figures.ts';
export * from './edit-figure.ts';
export { NEUTRAL_PLACES } from './neutral-body.ts';
