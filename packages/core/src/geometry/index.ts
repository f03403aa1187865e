export * from './bounds.ts';
export * from './bvh.ts';
export * from './depth-buffer.ts';
export * from './laplacian.ts';
export * from './matrix.ts';
export * from './normals.ts';
export * from './random.ts';
export * from './sampling.ts';
