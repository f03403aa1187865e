import type { Document } from '@gltf-transform/core';
import { mergeDocuments } from '@gltf-transform/functions';
import { freeName, readDossier, updateDossier } from '../character/index.ts';
import { type Finding, ProblemError } from '../problem.ts';
import { ARCHIVE_LIMITS, type ArchiveLimits, isArchive, openArchive } from './archive/archive.ts';
import { baseName, extensionOf, findFile, folderOf, type InputFile } from './files.ts';
import { tellImagesApart, tellJointsApart, tellMorphsApart, tellMaterialsApart } from './tell-apart.ts';
import { markLoose } from '../maps/index.ts';
import { type ImageUnpacker, unpackImages } from './images/unpack.ts';
import { asGltfImage, imagePath } from './images/shelf.ts';
import { checkFinite } from './finite.ts';
import type { Reader } from './reader.ts';
import { bvhReader } from './bvh/read.ts';
import { colladaReader } from './collada/read.ts';
import { gltfReader } from './gltf/read.ts';
import { objReader } from './obj/read.ts';
import { usdReader } from './usd/read.ts';

export interface ReadResult {
  document: Document;
  name: string;
  findings: Finding[];
  /** Paths that went into the character. */
  used: string[];
  /** Paths that arrived and were not needed. */
  unused: string[];
}

export const READERS: readonly Reader[] = [gltfReader, colladaReader, objReader, bvhReader, usdReader];

export interface ReadHelp {
  /** Path of the model that is meant, where others lie beside it. */
  main?: string;
  /** Which level of detail of a model that holds several; the nearest where left out. */
  level?: number;
  /** Opens images packed for graphics processors; without it they stay as they are. */
  unpackImage?: ImageUnpacker;
}

/**
 * Reads what arrived as one character: archives opened, the main file found, the rest matched to it.
 * @throws ProblemError with a sentence for the user
 */
export async function readCharacter(
  arrived: readonly InputFile[],
  limits: ArchiveLimits = ARCHIVE_LIMITS,
  help: ReadHelp = {},
): Promise<ReadResult> {
  return readOpened(unpack(arrived, limits), help);
}

/** The same for files whose archives were opened already. */
export async function readOpened(files: readonly InputFile[], help: ReadHelp = {}): Promise<ReadResult> {
  const candidates = modelsIn(files);
  if (!candidates.length) throw nothingReadable(files);
  // The largest counts where several could be the main file; the others are reported as unused.
  // What has triangles is the model: a motion beside it may be many times as long.
  const bare = new Set(candidates.length > 1 ? candidates.filter((file) => !holdsMesh(file)) : []);
  candidates.sort(
    (a, b) =>
      Number(bare.has(a)) - Number(bare.has(b)) || b.bytes.length - a.bytes.length || a.path.localeCompare(b.path),
  );
  const main =
    files.find((file) => file.path === help.main && READERS.some((reader) => reader.accepts(file))) ??
    (candidates.find((file) => extensionOf(file.path) === 'gltf') && candidates.length > 1
      ? preferSelfContained(candidates)
      : candidates[0]);
  const reader = READERS.find((entry) => entry.accepts(main)) as Reader;
  const output = await reader.read(main, files, { level: help.level });
  if (reader !== gltfReader) checkFinite(output.document, main.path);
  addLooseImages(output.document, files, output.used);
  tellImagesApart(output.document);
  const findings = [
    ...output.findings,
    ...tellMaterialsApart(output.document),
    ...tellJointsApart(output.document),
    ...tellMorphsApart(output.document),
    ...(help.unpackImage ? await unpackImages(output.document, help.unpackImage) : []),
  ];
  const apart = output.document.getRoot().listSkins().length
    ? undefined
    : candidates.find((file) => file !== main && bvhReader.accepts(file));
  if (apart) {
    findings.push(...(await takeSkeleton(output.document, apart, main)));
    output.used.push(apart.path);
  } else if (candidates.length > 1 && !help.main) {
    findings.push({
      code: 'intake.several-models',
      severity: 'warning',
      message: `${candidates.length} models arrived; “${main.path}” was read. Send the others separately.`,
      where: main.path,
    });
  }
  const unused = files.map((file) => file.path).filter((path) => !output.used.includes(path));
  const asset = output.document.getRoot().getAsset();
  updateDossier(output.document, {
    origin: readDossier(output.document).origin ?? {
      files: output.used,
      generator: asset.generator,
      copyright: asset.copyright,
    },
  });
  return { document: output.document, name: nameOf(main.path), findings, used: output.used, unused };
}

/** The model's name; where that says nothing, its folder's. */
function nameOf(path: string): string {
  const name = baseName(path).replace(/\.[^.]+$/, ''),
    folder = baseName(path.slice(0, -baseName(path).length - 1)).replace(/\.(zip|usdz|zae)$/i, '');
  return (
    (/^(scene|model|character|figure|body|mesh|untitled|export|source|asset|root|main|default(layer)?|output)$/i.test(
      name,
    ) && folder
      ? folder
      : name) || 'character'
  );
}

/** Mesh and skeleton that came in files of their own: the joints come into the document unbound, marked for the step that binds them. */
async function takeSkeleton(document: Document, file: InputFile, main: InputFile): Promise<Finding[]> {
  const read = await bvhReader.read(file, []),
    taken = new Set(
      document
        .getRoot()
        .listNodes()
        .map((node) => node.getName()),
    );
  // A joint may be called as a piece of the mesh is; the mark needs names of their own.
  for (const node of read.document.getRoot().listNodes()) node.setName(freeName(node.getName(), taken, '_'));
  const roots = read.document
      .getRoot()
      .listScenes()
      .flatMap((scene) => scene.listChildren())
      .map((node) => node.getName()),
    [scene] = document.getRoot().listScenes();
  const made = mergeDocuments(document, read.document);
  for (const property of made.values())
    if (property.propertyType === 'Scene') {
      const other = property as ReturnType<typeof document.createScene>;
      for (const child of other.listChildren()) {
        other.removeChild(child);
        (scene ?? document.createScene()).addChild(child);
      }
      other.dispose();
    } else if (property.propertyType === 'Skin') property.dispose();
  updateDossier(document, { apart: { file: file.path, roots } });
  return [
    ...read.findings.filter((finding) => finding.code !== 'intake.no-mesh'),
    {
      code: 'intake.skeleton-apart',
      severity: 'warning',
      message: `“${baseName(main.path)}” has no skeleton, and “${baseName(file.path)}” holds one without a mesh: they are two halves of one figure. The run places the skeleton in the mesh and binds it.`,
      where: file.path,
      repair: 'weights.bind',
    },
  ];
}

/** Images beside the model that it doesn't name: kept with it, so that they can find their material. */
function addLooseImages(document: Document, files: readonly InputFile[], used: readonly string[]): void {
  let count = 0,
    bytes = 0;
  for (const file of files) {
    if (used.includes(file.path) || !IMAGE.test(file.path) || !file.bytes.length) continue;
    bytes += file.bytes.length;
    if (++count > MOST_LOOSE || bytes > MOST_LOOSE_BYTES) return;
    try {
      const image = asGltfImage(file);
      markLoose(
        document
          .createTexture(baseName(file.path).replace(/\.[^.]+$/, ''))
          .setImage(image.bytes as Uint8Array<ArrayBuffer>)
          .setURI(imagePath(file.path, image.mimeType))
          .setMimeType(image.mimeType),
      );
    } catch (error) {
      if (!(error instanceof ProblemError)) throw error;
    }
  }
}
const IMAGE = /\.(png|jpe?g|webp|tga|bmp|tiff?)$/i;
const MOST_LOOSE = 500,
  MOST_LOOSE_BYTES = 1024 ** 3;

/** Whether a model's file says that it has meshes; what can't be told in a moment is taken to have some. */
function holdsMesh(file: InputFile): boolean {
  if (bvhReader.accepts(file)) return false;
  if (!gltfReader.accepts(file)) return true;
  const head = new DataView(file.bytes.buffer, file.bytes.byteOffset, file.bytes.byteLength),
    binary = file.bytes[0] === 0x67 && file.bytes.length > 20;
  return /"meshes"\s*:\s*\[\s*\{/.test(
    new TextDecoder().decode(binary ? file.bytes.subarray(20, 20 + head.getUint32(12, true)) : file.bytes),
  );
}

/** Files that are a model of their own. */
export const modelsIn = (files: readonly InputFile[]): InputFile[] =>
  leaders(files.filter((file) => file.bytes.length && READERS.some((reader) => reader.accepts(file))));

/**
 * Archives opened, packed characters inside them too; where several came, each in a folder of its archive's name. What
 * may be opened is counted over all of them together.
 * @throws ProblemError intake.nothing, archive.*
 */
export function unpack(arrived: readonly InputFile[], limits: ArchiveLimits): InputFile[] {
  if (!arrived.length)
    throw new ProblemError('intake.nothing', 'No file arrived. Drop a model, a folder or an archive.');
  let { totalBytes, entries } = limits;
  const open = (file: InputFile): InputFile[] => {
    const inner = openArchive(file.bytes, file.path, { ...limits, totalBytes, entries });
    totalBytes -= inner.reduce((sum, one) => sum + one.bytes.length, 0);
    entries -= inner.length;
    return inner;
  };
  const under = (folder: string, inner: InputFile): InputFile => ({
    path: `${folder}/${inner.path}`,
    bytes: inner.bytes,
  });
  return arrived.flatMap((file) => {
    if (!isArchive(file.bytes)) return [file];
    return open(file).flatMap((inner) => {
      const named = arrived.length > 1 ? under(file.path, inner) : inner;
      return isArchive(inner.bytes) && /\.(usdz|zae)$/i.test(inner.path)
        ? open(inner).map((packed) => under(named.path, packed))
        : [named];
    });
  });
}

/** Of several files those that no other brings in; all of them where they go in a circle. */
function leaders(files: readonly InputFile[]): InputFile[] {
  if (files.length < 2) return [...files];
  const led = new Set<string>();
  for (const file of files)
    for (const asset of READERS.find((reader) => reader.accepts(file))?.leads?.(file) ?? []) {
      const found = findFile(files, folderOf(file.path), asset)?.file;
      if (found && found !== file) led.add(found.path);
    }
  const left = files.filter((file) => !led.has(file.path));
  return left.length ? left : [...files];
}

/** Where a package brings a .glb and a .gltf of the same model, the self-contained one is safer. */
function preferSelfContained(candidates: InputFile[]): InputFile {
  return candidates.find((file) => extensionOf(file.path) === 'glb') ?? candidates[0];
}

function nothingReadable(files: readonly InputFile[]): ProblemError {
  const first = files[0];
  if (!first)
    return new ProblemError(
      'intake.empty-archive',
      'The archive holds no files. Pack the model and its textures and send it again.',
    );
  if (files.every((file) => file.bytes.length === 0))
    return new ProblemError(
      'intake.empty-file',
      `“${baseName(first.path)}” is empty (0 bytes). Export it again.`,
      first.path,
    );
  const known = READERS.flatMap((reader) => reader.extensions)
    .map((extension) => `.${extension}`)
    .join(', ');
  return new ProblemError(
    'intake.unknown-type',
    `No model was found in what arrived (${files.length === 1 ? `“${baseName(first.path)}”` : `${files.length} files`}). Dimetra reads ${known} and ZIP archives of them.`,
    first.path,
  );
}
