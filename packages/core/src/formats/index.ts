export * from './read.ts';
export * from './files.ts';
export { openArchive, type ArchiveLimits, ARCHIVE_LIMITS, writeArchive } from './archive/archive.ts';
export { createGltfIO, readGltf } from './gltf/read.ts';
export { writeGlb, writeGltfFiles } from './gltf/write.ts';
export { packDocument, piecesOf, unpackDocument, type PackedDocument } from './gltf/pieces.ts';
export { copyDocument } from './gltf/copy.ts';
