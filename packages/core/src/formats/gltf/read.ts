import { type Document, type GLTF, type JSONDocument, Logger, WebIO } from '@gltf-transform/core';
import { ALL_EXTENSIONS } from '@gltf-transform/extensions';
import { type Stored, updateDossier } from '../../character/index.ts';
import { ktx2Head } from '../../pixels/index.ts';
import { type Finding, ProblemError } from '../../problem.ts';
import { extensionOf, findFile, folderOf, type InputFile } from '../files.ts';
import type { Reader, ReaderOutput } from '../reader.ts';
import { parseGlb } from './glb.ts';
import { parseJson } from './json.ts';
import { keepVrm } from '../vrm/keep.ts';
import { LEVELS, LevelsExtension } from './levels-extension.ts';
import { levelsHeld, settleLevels } from './settle-levels.ts';
import { checkContent, checkSparse } from './content.ts';
import { deinterleave } from './deinterleave.ts';
import { checkReferences } from './references.ts';
import { checkShape } from './shape.ts';
import { weighClaims } from './claims.ts';

/** glTF-Transform's reader and writer with every extension it knows, and codecs where they are at hand. */
export const createGltfIO = async (codecs: Record<string, unknown> = {}): Promise<WebIO> =>
  new WebIO()
    .registerExtensions([...ALL_EXTENSIONS, LevelsExtension])
    .registerDependencies(codecs)
    // What there is to say of a file is said in findings, not on the console.
    .setLogger(new Logger(Logger.Verbosity.ERROR));

/** Decoders of packed geometry are large, and what is stored needs none: each is fetched when a file asks for it. */
async function codecsFor({ extensionsUsed = [] }: GLTF.IGLTF): Promise<Record<string, unknown>> {
  const codecs: Record<string, unknown> = {};
  if (extensionsUsed.includes('KHR_draco_mesh_compression')) {
    const { default: draco } = await import('draco3dgltf');
    codecs['draco3d.decoder'] = await draco.createDecoderModule();
  }
  if (extensionsUsed.some((name) => /^(EXT|KHR)_meshopt_compression$/.test(name))) {
    const { MeshoptDecoder } = await import('meshoptimizer/decoder');
    await MeshoptDecoder.ready;
    codecs['meshopt.decoder'] = MeshoptDecoder;
  }
  return codecs;
}

/**
 * Reads glTF 2.0, binary or JSON (Khronos glTF 2.0 specification). References are checked before anything is
 * built, numbers after.
 * @throws ProblemError gltf.*
 */
export async function readGltf(
  main: InputFile,
  files: readonly InputFile[],
  { level = 0 }: { level?: number } = {},
): Promise<ReaderOutput> {
  const findings: Finding[] = [];
  const used = [main.path];
  const { json, binary } = isGlb(main.bytes)
    ? parseGlb(main)
    : { json: parseJson(main.bytes, main.path), binary: undefined };
  checkVersion(json, main.path);
  checkShape(json, main.path);
  const resources: Record<string, Uint8Array<ArrayBuffer>> = {};
  collectBuffers(json, binary, main, files, resources, used, findings);
  const missing = collectImages(json, main, files, resources, used, findings);
  checkReferences(json, (index) => bufferLength(json, index, resources), main.path);
  weighClaims(
    json,
    main.bytes.length + Object.values(resources).reduce((sum, bytes) => sum + bytes.length, 0),
    main.path,
  );
  checkExtensions(json, main.path);
  deinterleave(json, resources, (buffer) => resources[json.buffers?.[buffer]?.uri ?? GLB_BUFFER]);
  const sparseChecked = checkSparse(json, (buffer) => resources[json.buffers?.[buffer]?.uri ?? GLB_BUFFER], main.path);
  placeSparse(json);
  let document: Document;
  try {
    document = await (await createGltfIO(await codecsFor(json))).readJSON({ json, resources } as JSONDocument);
  } catch (error) {
    if (error instanceof ProblemError) throw error;
    throw new ProblemError(
      'gltf.unreadable',
      `The model can't be built from “${main.path}”: ${(error as Error).message}. Export it again.`,
      main.path,
    );
  }
  const stored = storedIn(document, json);
  dropCompression(document);
  dropMissingImages(document, json, missing);
  keepVrm(document, json, findings);
  const levels = levelsHeld(document, json);
  if (levels.length) stored.levels = levels;
  findings.push(...settleLevels(document, json, level, main.path));
  if (Object.keys(stored).length) updateDossier(document, { stored });
  findings.push(...checkContent(document, main.path, sparseChecked));
  return { document, findings, used };
}

/** Where sparse lists don't say an offset of their own, the library would take that of the numbers they change. */
function placeSparse(json: GLTF.IGLTF): void {
  for (const { sparse } of json.accessors ?? []) {
    if (!sparse) continue;
    sparse.indices.byteOffset ??= 0;
    sparse.values.byteOffset ??= 0;
  }
}

/** How arrays and maps lie in the file. */
function storedIn(document: Document, { extensionsUsed = [] }: GLTF.IGLTF): Stored {
  const has = (pattern: RegExp) => extensionsUsed.some((name) => pattern.test(name)),
    packings = new Set(
      document
        .getRoot()
        .listTextures()
        .flatMap((texture) => ktx2Head(texture.getImage() ?? new Uint8Array(0))?.packing ?? []),
    ),
    compression = has(/_meshopt_compression$/)
      ? 'meshopt'
      : has(/^KHR_draco_mesh_compression$/)
        ? 'draco'
        : has(/^KHR_mesh_quantization$/)
          ? 'quantised'
          : undefined;
  return {
    ...(compression && { compression }),
    ...(packings.size && { packed: packings.size > 1 ? 'smallest' : [...packings][0] }),
  };
}

/** How a file was packed says nothing of the character: unpacked once, it is not packed again from step to step. */
function dropCompression(document: Document): void {
  for (const extension of document.getRoot().listExtensionsUsed())
    if (COMPRESSION.has(extension.extensionName)) extension.dispose();
}
const COMPRESSION: ReadonlySet<string> = new Set([
  'KHR_draco_mesh_compression',
  'EXT_meshopt_compression',
  'KHR_meshopt_compression',
]);

const isGlb = (bytes: Uint8Array): boolean =>
  bytes.length >= 4 && bytes[0] === 0x67 && bytes[1] === 0x6c && bytes[2] === 0x54 && bytes[3] === 0x46;

export const gltfReader: Reader = {
  id: 'gltf',
  title: 'glTF 2.0',
  extensions: ['glb', 'gltf', 'vrm'],
  accepts: (file) => isGlb(file.bytes) || ['glb', 'gltf', 'vrm'].includes(extensionOf(file.path)),
  read: readGltf,
};

function checkVersion(json: GLTF.IGLTF, path: string): void {
  const version: unknown = json.asset?.version;
  if (typeof version !== 'string')
    throw new ProblemError(
      'gltf.no-version',
      `“${path}” doesn't say which glTF version it is, so it is not a glTF model.`,
      path,
    );
  if (!version.startsWith('2.'))
    throw new ProblemError(
      'gltf.version',
      `“${path}” is glTF ${version}; Dimetra reads version 2. Export it as glTF 2.0.`,
      path,
    );
}

const GLB_BUFFER = '@glb.bin';

function collectBuffers(
  json: GLTF.IGLTF,
  binary: Uint8Array<ArrayBuffer> | undefined,
  main: InputFile,
  files: readonly InputFile[],
  resources: Record<string, Uint8Array<ArrayBuffer>>,
  used: string[],
  findings: Finding[],
): void {
  const buffers = Array.isArray(json.buffers) ? json.buffers : [];
  buffers.forEach((buffer, i) => {
    if (buffer.uri === undefined) {
      if (i === 0 && binary) resources[GLB_BUFFER] = binary;
      else if (!buffer.extensions)
        throw new ProblemError(
          'gltf.missing-buffer',
          `Buffer ${i} of “${main.path}” has no data and names no file.`,
          main.path,
        );
      return;
    }
    if (buffer.uri.startsWith('data:')) return;
    const found = findFile(files, folderOf(main.path), buffer.uri);
    if (!found)
      throw new ProblemError(
        'gltf.missing-buffer',
        `“${main.path}” needs “${buffer.uri}”, which did not arrive. Send it together with the model.`,
        buffer.uri,
      );
    if (!found.exact)
      findings.push({
        code: 'intake.found-by-name',
        severity: 'info',
        message: `“${buffer.uri}” was found by its name at “${found.file.path}”.`,
        where: found.file.path,
      });
    if (found.file.bytes.length < buffer.byteLength) {
      throw new ProblemError(
        'gltf.truncated',
        `“${found.file.path}” has ${found.file.bytes.length} bytes, the model needs ${buffer.byteLength}: it is cut off. Copy it again.`,
        found.file.path,
      );
    }
    resources[buffer.uri] = found.file.bytes as Uint8Array<ArrayBuffer>;
    used.push(found.file.path);
  });
}

function bufferLength(json: GLTF.IGLTF, index: number, resources: Record<string, Uint8Array>): number {
  const buffer = json.buffers?.[index];
  if (!buffer) return -1;
  if (buffer.uri?.startsWith('data:')) return Math.floor(((buffer.uri.length - buffer.uri.indexOf(',') - 1) * 3) / 4);
  return (
    (buffer.uri === undefined ? resources[GLB_BUFFER] : resources[buffer.uri])?.length ??
    (buffer.extensions ? buffer.byteLength : -1)
  );
}

/** @returns indices of images whose file did not arrive; they get a placeholder so that the rest can be read */
function collectImages(
  json: GLTF.IGLTF,
  main: InputFile,
  files: readonly InputFile[],
  resources: Record<string, Uint8Array<ArrayBuffer>>,
  used: string[],
  findings: Finding[],
): Set<number> {
  const missing = new Set<number>();
  const images = Array.isArray(json.images) ? json.images : [];
  images.forEach((image, i) => {
    if (image.uri === undefined || image.uri.startsWith('data:')) return;
    const found = findFile(files, folderOf(main.path), image.uri);
    if (!found || !found.file.bytes.length) {
      missing.add(i);
      resources[image.uri] = new Uint8Array(0);
      findings.push({
        code: 'intake.missing-image',
        severity: 'error',
        message: `The image “${image.uri}” did not arrive. What used it shows without a map.`,
        where: image.uri,
        repair: 'intake.find-textures',
      });
      return;
    }
    if (!found.exact)
      findings.push({
        code: 'intake.found-by-name',
        severity: 'info',
        message: `“${image.uri}” was found by its name at “${found.file.path}”.`,
        where: found.file.path,
      });
    resources[image.uri] = found.file.bytes as Uint8Array<ArrayBuffer>;
    used.push(found.file.path);
  });
  return missing;
}

function dropMissingImages(document: Document, json: GLTF.IGLTF, missing: ReadonlySet<number>): void {
  const uris = new Set([...missing].map((i) => json.images?.[i].uri));
  for (const texture of document.getRoot().listTextures()) {
    if (uris.has(texture.getURI()) && !texture.getImage()?.length) texture.dispose();
  }
}

/** VRM's extensions hold no geometry; what they say is kept in the dossier. */
const KEPT_ELSEWHERE = /^VRM/;

/** Geometry under an extension that isn't known would vanish silently; refuse it by name instead. */
function checkExtensions(json: GLTF.IGLTF, path: string): void {
  const known = new Set<string>([...ALL_EXTENSIONS.map((extension) => extension.EXTENSION_NAME), LEVELS]);
  const unknown = (json.extensionsRequired ?? []).filter((name) => !known.has(name) && !KEPT_ELSEWHERE.test(name));
  if (unknown.length)
    throw new ProblemError(
      'gltf.extension',
      `“${path}” can't be read without ${unknown.join(', ')}, which Dimetra doesn't know. Export it without.`,
      path,
    );
}
