export * from './schema.ts';
export * from './shipped.ts';
