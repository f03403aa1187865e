export * from './package.ts';
export * from './report.ts';
export * from './convert.ts';
